//! A lead and a take, moment by moment: straight lines between knots.

use super::knots::Knot;

/// Reads between knots, and on at the same lag beyond the first and the last.
pub struct Between<'a>(pub &'a [Knot]);

impl Between<'_> {
    /// The moment of the take that is one of the lead; session frames.
    pub fn take_of(&self, lead: f64) -> f64 {
        self.along(lead, |k| k.lead, |k| k.take)
    }

    /// The moment of the lead that is one of the take; session frames.
    pub fn lead_of(&self, take: f64) -> f64 {
        self.along(take, |k| k.take, |k| k.lead)
    }

    fn along(&self, at: f64, own: impl Fn(&Knot) -> f64, other: impl Fn(&Knot) -> f64) -> f64 {
        let n = self.0.partition_point(|k| own(k) <= at);
        match (n.checked_sub(1).map(|n| &self.0[n]), self.0.get(n)) {
            (None, None) => at,
            (Some(k), None) | (None, Some(k)) => at + other(k) - own(k),
            (Some(a), Some(b)) => other(a) + (at - own(a)) * (other(b) - other(a)) / (own(b) - own(a)),
        }
    }
}

/// The most by which the take runs faster or slower than the lead from one knot to the next; 1 where it never does.
pub fn worst_ratio(knots: &[Knot]) -> f64 {
    let ratio = |k: &[Knot]| (k[1].take - k[0].take) / (k[1].lead - k[0].lead);
    knots.windows(2).map(ratio).map(|r| r.max(1.0 / r)).fold(1.0, f64::max)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::verdict::Verdict;

    fn knots(points: &[[f64; 2]]) -> Vec<Knot> {
        points
            .iter()
            .map(|[lead, take]| Knot { lead: *lead, take: *take, alike: 0.5, verdict: Verdict::Likely })
            .collect()
    }

    #[test]
    fn it_reads_between_knots_and_keeps_the_lag_beyond_them() {
        let all = knots(&[[100.0, 120.0], [200.0, 240.0], [300.0, 290.0]]);
        let map = Between(&all);
        for (lead, take) in [(50.0, 70.0), (100.0, 120.0), (150.0, 180.0), (250.0, 265.0), (400.0, 390.0)] {
            assert_eq!(map.take_of(lead), take, "{lead}");
            assert_eq!(map.lead_of(take), lead, "{take}");
        }
        assert_eq!(Between(&[]).take_of(7.0), 7.0);
        assert!((worst_ratio(&all) - 2.0).abs() < 1e-12, "half as fast in the second part");
        assert_eq!(worst_ratio(&[]), 1.0);
    }

    /// Any strength and slack keep the order; nothing moves at none, everything meets the lead at all.
    #[test]
    fn where_moments_go_rises() {
        let all = knots(&[[100.0, 160.0], [200.0, 220.0], [300.0, 290.0], [420.0, 540.0]]);
        for strength in [0.0, 0.3, 1.0] {
            for slack in [0.0, 15.0, 60.0, 500.0] {
                let goes: Vec<f64> = all.iter().map(|k| k.goes(strength, slack)).collect();
                assert!(goes.is_sorted_by(|a, b| a < b), "{strength} {slack}: {goes:?}");
                for (k, at) in all.iter().zip(&goes) {
                    let left = (at - k.lead).abs();
                    assert!(left <= (k.take - k.lead).abs() && (strength < 1.0 || left <= slack), "{k:?}: {at}");
                }
            }
        }
        assert!(all.iter().all(|k| k.goes(0.0, 0.0) == k.take && k.goes(1.0, 0.0) == k.lead));
    }
}
