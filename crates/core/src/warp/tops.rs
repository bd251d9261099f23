//! Where a curve is highest.

/// The tops of a curve, in the order of time: the largest within so many values on either side, and where two are no further apart than
/// `apart`, the higher one. Only those that `counts`.
pub fn tops(curve: &[f32], beside: usize, apart: usize, counts: impl Fn(usize) -> bool) -> Vec<usize> {
    let is_top = |n: usize| {
        let near = &curve[n.saturating_sub(beside)..(n + beside + 1).min(curve.len())];
        near.iter().all(|v| *v <= curve[n])
    };
    let mut all: Vec<usize> = (0..curve.len()).filter(|n| counts(*n) && is_top(*n)).collect();
    all.sort_by(|a, b| curve[*b].total_cmp(&curve[*a]));
    let mut kept: Vec<usize> = Vec::new();
    for n in all {
        if kept.iter().all(|k| k.abs_diff(n) > apart) {
            kept.push(n);
        }
    }
    kept.sort_unstable();
    kept
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn of_two_that_are_close_the_higher_stays() {
        let curve = [0.0, 3.0, 0.0, 0.0, 5.0, 0.0, 0.0, 0.0, 0.0, 4.0, 0.0, 1.0];
        assert_eq!(tops(&curve, 1, 3, |_| true), [4, 9]);
        assert_eq!(tops(&curve, 1, 2, |n| curve[n] > 2.0), [1, 4, 9]);
        assert!(tops(&[], 1, 3, |_| true).is_empty());
    }
}
