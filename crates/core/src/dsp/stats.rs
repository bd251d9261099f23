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
