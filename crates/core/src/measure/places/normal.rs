//! Normal equations of the places. A microphone that is no home shares equations with sources and homes only, never with another
//! such microphone: each is solved by itself and eliminated (Schur complement), which keeps large sessions fast.

use crate::measure::places::cholesky::{less_products, lower_factor, solved};
use crate::measure::places::problem::Problem;
use nalgebra::{Cholesky, DMatrix, DVector, Matrix4, Vector4};

/// Unknowns of a microphone that is nobody's home: its place and its latency.
const APART: usize = 4;

/// Where an unknown stands in the equations.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Slot {
    /// Among the unknowns solved together.
    Together(usize),
    /// Of an eliminated microphone: which, and which of its four unknowns.
    Apart(usize, usize),
    /// A tied latency: no unknown.
    Tied,
}

/// Where every unknown stands.
pub struct Layout {
    slots: Vec<Slot>,
    together: usize,
    apart: usize,
}

impl Layout {
    /// With these latencies free.
    pub fn of(p: &Problem, loose: &[bool]) -> Self {
        let mut slots = vec![Slot::Tied; p.len()];
        let mut together = 0;
        let mut apart = 0;
        let mut join = |at: usize, slots: &mut Vec<Slot>| {
            slots[at] = Slot::Together(together);
            together += 1;
        };
        (0..p.mic(0)).for_each(|at| join(at, &mut slots));
        join(p.habit(), &mut slots);
        for (i, free) in loose.iter().enumerate() {
            let mine = (0..3).map(|axis| p.mic(i) + axis).chain(free.then(|| p.late(i)));
            if p.joined[i] {
                mine.for_each(|at| join(at, &mut slots));
            } else {
                mine.enumerate().for_each(|(k, at)| slots[at] = Slot::Apart(apart, k));
                apart += 1;
            }
        }
        Self { slots, together, apart }
    }
}

/// Lower half of the equations, in the parts that a [`Layout`] divides the unknowns into.
pub struct Normal<'a> {
    layout: &'a Layout,
    together: DMatrix<f64>,
    /// A row an unknown solved together, four columns a microphone apart.
    between: DMatrix<f64>,
    apart: Vec<Matrix4<f64>>,
    slope: DVector<f64>,
    slope_apart: Vec<Vector4<f64>>,
    /// Slopes of the residual at hand, by where they stand.
    joined: Vec<(usize, f64)>,
    alone: Vec<(usize, usize, f64)>,
}

impl<'a> Normal<'a> {
    /// Nothing known yet.
    pub fn new(layout: &'a Layout) -> Self {
        let (n, m) = (layout.together, layout.apart);
        Self {
            layout,
            together: DMatrix::zeros(n, n),
            between: DMatrix::zeros(n, APART * m),
            apart: vec![Matrix4::zeros(); m],
            slope: DVector::zeros(n),
            slope_apart: vec![Vector4::zeros(); m],
            joined: Vec::new(),
            alone: Vec::new(),
        }
    }

    /// Adds a residual with its slopes, one an unknown, and its weight.
    pub fn add(&mut self, terms: &[(usize, f64)], residual: f64, weight: f64) {
        self.joined.clear();
        self.alone.clear();
        for &(i, d) in terms {
            match self.layout.slots[i] {
                Slot::Together(i) => self.joined.push((i, d)),
                Slot::Apart(m, k) => self.alone.push((m, k, d)),
                Slot::Tied => {}
            }
        }
        let rows = self.layout.together;
        let (together, between) = (self.together.as_mut_slice(), self.between.as_mut_slice());
        for (n, &(i, di)) in self.joined.iter().enumerate() {
            let di = weight * di;
            self.slope[i] += di * residual;
            for &(k, dk) in &self.joined[..=n] {
                together[i.min(k) * rows + i.max(k)] += di * dk;
            }
            for &(m, k, dk) in &self.alone {
                between[(APART * m + k) * rows + i] += di * dk;
            }
        }
        for &(m, i, di) in &self.alone {
            let di = weight * di;
            self.slope_apart[m][i] += di * residual;
            for &(_, k, dk) in &self.alone {
                self.apart[m][(i, k)] += di * dk;
            }
        }
    }

    /// The step down, as a change of each unknown; none where the damped equations are not positive definite.
    pub fn step(&self, damping: f64) -> Option<Vec<f64>> {
        let damped = |v: f64| v + damping * (1.0 + v);
        let mut rest = self.together.clone();
        (0..rest.nrows()).for_each(|i| rest[(i, i)] = damped(rest[(i, i)]));
        let inverse: Vec<Matrix4<f64>> = self.inverse_apart(damped)?;
        let carried = self.carried(&inverse);
        less_products(&mut rest, 0, &carried, &self.between);
        let apart = DVector::from_iterator(APART * inverse.len(), self.slope_apart.iter().flatten().copied());
        let joined = solved(&lower_factor(rest)?, &self.slope - &carried * &apart)?;
        let left = apart - self.between.tr_mul(&joined);
        let alone: Vec<Vector4<f64>> =
            inverse.iter().enumerate().map(|(m, d)| d * left.fixed_rows::<APART>(APART * m)).collect();
        let of = |slot: &Slot| match *slot {
            Slot::Together(i) => joined[i],
            Slot::Apart(m, i) => alone[m][i],
            Slot::Tied => 0.0,
        };
        Some(self.layout.slots.iter().map(of).collect())
    }

    /// Covariance of all unknowns; nothing for tied latencies.
    pub fn covariance(&self) -> Option<DMatrix<f64>> {
        let mut rest = self.together.clone();
        let inverse = self.inverse_apart(|v| v)?;
        let carried = self.carried(&inverse);
        rest.gemm(-1.0, &carried, &self.between.transpose(), 1.0);
        let joined = Cholesky::new(rest)?.inverse();
        let mixed = -&joined * &carried;
        let alone = -carried.tr_mul(&mixed);
        let of = |a: &Slot, b: &Slot| match (*a, *b) {
            (Slot::Together(i), Slot::Together(k)) => joined[(i, k)],
            (Slot::Together(i), Slot::Apart(m, k)) | (Slot::Apart(m, k), Slot::Together(i)) => {
                mixed[(i, APART * m + k)]
            }
            (Slot::Apart(m, i), Slot::Apart(o, k)) => {
                let own = if m == o { inverse[m][(i, k)] } else { 0.0 };
                own + alone[(APART * m + i, APART * o + k)]
            }
            _ => 0.0,
        };
        let slots = &self.layout.slots;
        Some(DMatrix::from_fn(slots.len(), slots.len(), |i, k| of(&slots[i], &slots[k])))
    }

    fn inverse_apart(&self, damped: impl Fn(f64) -> f64) -> Option<Vec<Matrix4<f64>>> {
        let one = |block: &Matrix4<f64>| {
            let mut block = *block;
            for i in 0..APART {
                // A latency that is tied has no equation.
                block[(i, i)] = if block[(i, i)] == 0.0 { 1.0 } else { damped(block[(i, i)]) };
            }
            Some(block.cholesky()?.inverse())
        };
        self.apart.iter().map(one).collect()
    }

    fn carried(&self, inverse: &[Matrix4<f64>]) -> DMatrix<f64> {
        let mut carried = self.between.clone();
        for (m, d) in inverse.iter().enumerate() {
            let columns = self.between.fixed_columns::<APART>(APART * m) * d;
            carried.fixed_columns_mut::<APART>(APART * m).copy_from(&columns);
        }
        carried
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Six unknowns together, then two eliminated microphones, the second with its latency tied.
    fn layout() -> Layout {
        let mut slots: Vec<Slot> = (0..6).map(Slot::Together).collect();
        slots.extend((0..4).map(|k| Slot::Apart(0, k)));
        slots.extend((0..3).map(|k| Slot::Apart(1, k)));
        slots.push(Slot::Tied);
        Layout { slots, together: 6, apart: 2 }
    }

    /// Slopes of a residual, the residual, and its weight.
    type Term = (Vec<(usize, f64)>, f64, f64);

    /// Terms as they come: a microphone apart meets those together, never another one apart.
    fn residuals() -> Vec<Term> {
        let value = |n: usize| ((n * 37 % 101) as f64 / 50.0) - 1.0;
        let mut all = Vec::new();
        for n in 0..40 {
            let mine = if n % 2 == 0 { 6..10 } else { 10..14 };
            let together = (0..6).map(|i| (i, value(n * 7 + i)));
            let terms = together.chain(mine.map(|i| (i, value(n * 11 + i + 3)))).collect();
            all.push((terms, value(n * 5 + 1), 0.5 + (n % 7) as f64));
        }
        all
    }

    /// All unknowns in one matrix, solved at once: elimination must give the same.
    fn dense() -> (DMatrix<f64>, DVector<f64>) {
        let mut a = DMatrix::zeros(13, 13);
        let mut g = DVector::zeros(13);
        for (terms, residual, weight) in residuals() {
            for (i, di) in terms.iter().filter(|t| t.0 < 13) {
                g[*i] += weight * di * residual;
                for (k, dk) in terms.iter().filter(|t| t.0 < 13) {
                    a[(*i, *k)] += weight * di * dk;
                }
            }
        }
        (a, g)
    }

    #[test]
    fn taking_microphones_out_changes_no_step() {
        let layout = layout();
        let mut normal = Normal::new(&layout);
        residuals().iter().for_each(|(terms, r, w)| normal.add(terms, *r, *w));
        let (a, g) = dense();
        for damping in [0.0, 1e-3, 0.5] {
            let mut damped = a.clone();
            (0..13).for_each(|i| damped[(i, i)] += damping * (1.0 + a[(i, i)]));
            let expected = Cholesky::new(damped).unwrap().solve(&g);
            let step = normal.step(damping).unwrap();
            (0..13).for_each(|i| assert!((step[i] - expected[i]).abs() < 1e-9, "{i}: {} {}", step[i], expected[i]));
            assert_eq!(step[13], 0.0, "a tied latency does not move");
        }
    }

    #[test]
    fn taking_microphones_out_changes_no_covariance() {
        let layout = layout();
        let mut normal = Normal::new(&layout);
        residuals().iter().for_each(|(terms, r, w)| normal.add(terms, *r, *w));
        let expected = dense().0.try_inverse().unwrap();
        let covariance = normal.covariance().unwrap();
        for i in 0..13 {
            for k in 0..13 {
                assert!((covariance[(i, k)] - expected[(i, k)]).abs() < 1e-9, "{i}, {k}");
            }
            assert_eq!(covariance[(i, 13)], 0.0);
        }
    }
}
