//! Cholesky factors in blocks. A session of 48 tracks has some 170 unknowns left after elimination; column by column their factors took
//! longer than everything else in the search for places, because nothing stays in the registers.

use nalgebra::{DMatrix, DMatrixView, DVector, Dyn};

/// Columns of a block that is factored by itself.
const BLOCK: usize = 32;
/// Columns of a product that are made together. More waste work above the diagonal, fewer put the same rows in order again and again.
const TOGETHER: usize = 64;

/// The lower factor of a symmetric matrix, of which only the lower half is read; none when it is not positive definite.
///
/// Right-looking: a block of columns is factored, then taken out of what lies right of it (Golub, Van Loan 2013, 4.2.5 and 4.2.6, from
/// memory).
pub fn lower_factor(mut a: DMatrix<f64>) -> Option<DMatrix<f64>> {
    let n = a.nrows();
    for at in (0..n).step_by(BLOCK) {
        let wide = BLOCK.min(n - at);
        for j in at..at + wide {
            let root = a[(j, j)].sqrt();
            // Also false for what is no number.
            if !(root > 0.0 && root.is_finite()) {
                return None;
            }
            a.view_mut((j, j), (n - j, 1)).scale_mut(1.0 / root);
            for k in j + 1..at + wide {
                let factor = a[(k, j)];
                let (left, mut right) = a.columns_range_pair_mut(j, k);
                right.rows_mut(k, n - k).axpy(-factor, &left.rows(k, n - k), 1.0);
            }
        }
        let next = at + wide;
        let panel = a.view((next, at), (n - next, wide)).into_owned();
        less_products(&mut a, next, &panel, &panel);
    }
    Some(a)
}

/// Takes `left · rightᵀ`, which is symmetric, from the lower half of the matrix that begins at row and column `at`. What stands in the
/// upper half afterwards is of no meaning.
pub fn less_products(a: &mut DMatrix<f64>, at: usize, left: &DMatrix<f64>, right: &DMatrix<f64>) {
    let rows = left.nrows();
    for from in (0..rows).step_by(TOGETHER) {
        let wide = TOGETHER.min(rows - from);
        // Seen across without a copy: its columns lie side by side, as the product wants them.
        let (data, tall) = (&right.as_slice()[from..], right.nrows());
        let across = DMatrixView::<f64, Dyn, Dyn>::from_slice_with_strides(data, right.ncols(), wide, tall, 1);
        let mut below = a.view_mut((at + from, at + from), (rows - from, wide));
        below.gemm(-1.0, &left.rows(from, rows - from), &across, 1.0);
    }
}

/// Solves `l · lᵀ · x = b`.
pub fn solved(l: &DMatrix<f64>, mut b: DVector<f64>) -> Option<DVector<f64>> {
    let fine = l.solve_lower_triangular_mut(&mut b) && l.tr_solve_lower_triangular_mut(&mut b);
    fine.then_some(b)
}

#[cfg(test)]
mod tests {
    use super::*;
    use nalgebra::Cholesky;

    /// A symmetric matrix with this much on top of its diagonal.
    fn symmetric(n: usize, more: f64) -> DMatrix<f64> {
        let b = DMatrix::from_fn(n, n, |i, k| ((i * 37 + k * 61 + i * k) % 101) as f64 / 50.0 - 1.0);
        &b * b.transpose() + DMatrix::identity(n, n) * more
    }

    #[test]
    fn the_factor_is_that_of_the_reference_library() {
        for n in [1, 31, 32, 33, 64, 150] {
            let a = symmetric(n, 0.5);
            let expected = Cholesky::new(a.clone()).unwrap();
            let l = lower_factor(a.clone()).unwrap();
            let worst = (l.lower_triangle() - expected.l()).abs().max();
            assert!(worst < 1e-8 * a.abs().max(), "{n}: {worst}");
            let b = DVector::from_fn(n, |i, _| i as f64 - 3.0);
            assert!((&a * solved(&l, b.clone()).unwrap() - b).abs().max() < 1e-6, "{n}");
        }
    }

    #[test]
    fn a_matrix_that_is_not_positive_definite_has_no_factor() {
        for n in [3, 40, 80] {
            let mut a = symmetric(n, 0.5);
            a[(n - 1, n - 1)] = -1.0;
            assert!(lower_factor(a.clone()).is_none());
            a[(n - 1, n - 1)] = f64::NAN;
            assert!(lower_factor(a).is_none());
        }
    }

    #[test]
    fn only_the_lower_half_is_taken_from() {
        let (left, right) = (symmetric(70, 0.0), symmetric(70, 0.0));
        let mut a = DMatrix::zeros(75, 75);
        less_products(&mut a, 5, &left, &right);
        let expected = -(&left * right.transpose());
        for i in 0..70 {
            (0..=i).for_each(|k| assert!((a[(5 + i, 5 + k)] - expected[(i, k)]).abs() < 1e-9, "{i}, {k}"));
        }
    }
}
