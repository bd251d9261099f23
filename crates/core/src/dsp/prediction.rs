//! Linear prediction: what a sound's next sample would be if nothing new began.

/// Coefficients of a predictor of order `N` from the past samples, the last one first, by the autocorrelation method under a raised
/// cosine (Levinson–Durbin; from memory). All zero where nothing sounds.
pub fn predictor<const N: usize>(x: &[f32]) -> [f64; N] {
    let taper = |n: usize| 0.5 - 0.5 * (std::f64::consts::TAU * (n as f64 + 0.5) / x.len() as f64).cos();
    let y: Vec<f64> = x.iter().enumerate().map(|(n, v)| f64::from(*v) * taper(n)).collect();
    let lag = |k: usize| y.iter().skip(k).zip(&y).map(|(a, b)| a * b).sum::<f64>();
    let mut correlation: Vec<f64> = (0..=N).map(lag).collect();
    let mut a = [0f64; N];
    if correlation[0] <= 0.0 {
        return a;
    }
    // White noise 90 dB down keeps the equations well conditioned.
    correlation[0] *= 1.0 + 1e-9;
    let mut error = correlation[0];
    for m in 0..N {
        let told = (0..m).map(|k| a[k] * correlation[m - k]).sum::<f64>();
        let reflection = (correlation[m + 1] - told) / error;
        let past = a;
        a[m] = reflection;
        (0..m).for_each(|k| a[k] = past[k] - reflection * past[m - 1 - k]);
        error *= 1.0 - reflection * reflection;
    }
    a
}

/// What the predictor does not tell of `x[from..]`; `from` is no less than its order.
pub fn residual<const N: usize>(x: &[f32], from: usize, predictor: &[f64; N]) -> Vec<f64> {
    let told = |n: usize| (1..=N.min(n)).map(|k| predictor[k - 1] * f64::from(x[n - k])).sum::<f64>();
    (from..x.len()).map(|n| f64::from(x[n]) - told(n)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// A ringing tone obeys x[n] = 2r·cos ω·x[n−1] − r²·x[n−2] exactly (closed form).
    #[test]
    fn a_ringing_tone_is_foretold() {
        let (r, w) = (0.999f64, 0.1f64);
        let x: Vec<f32> = (0..4_000).map(|n| (r.powi(n) * (w * f64::from(n)).sin()) as f32).collect();
        let told = predictor::<8>(&x[..2_000]);
        let left = residual(&x, 2_000, &told);
        let energy = |x: &mut dyn Iterator<Item = f64>| x.map(|v| v * v).sum::<f64>();
        let all = energy(&mut x[2_000..].iter().map(|v| f64::from(*v)));
        assert!(energy(&mut left.into_iter()) < 1e-6 * all);
        assert_eq!(predictor::<8>(&[0.0; 500]), [0.0; 8]);
    }
}
