//! Medians and even thinning.

/// So many at most, evenly over the session.
pub fn thin(moments: &[i64], most: usize) -> Vec<i64> {
    let n = moments.len();
    let kept = n.min(most);
    (0..kept).map(|i| moments[i * n / kept]).collect()
}

/// The median; the mean of the two in the middle for an even number.
pub fn median(values: &mut [f64]) -> Option<f64> {
    values.sort_by(f64::total_cmp);
    let n = values.len();
    (n > 0).then(|| 0.5 * (values[(n - 1) / 2] + values[n / 2]))
}

/// The straight line of least squares through (x, y): its value at 0, and its slope. None where all x are the same.
pub fn line(points: &[(f64, f64)]) -> Option<(f64, f64)> {
    let count = points.len() as f64;
    let (mx, my) = points.iter().fold((0.0, 0.0), |m, p| (m.0 + p.0 / count, m.1 + p.1 / count));
    let apart = |s: (f64, f64), p: &(f64, f64)| (s.0 + (p.0 - mx) * (p.1 - my), s.1 + (p.0 - mx).powi(2));
    let (both, square) = points.iter().fold((0.0, 0.0), apart);
    (square > 0.0).then(|| (my - both / square * mx, both / square))
}
