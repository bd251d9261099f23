//! Linear prediction: what a sound's next sample would be if nothing new began.

/// Coefficients of a predictor of order `N` from the past samples, the last one first, by the autocorrelation method under a raised
/// cosine (Levinson–Durbin; from memory). All zero where nothing sounds.
pub fn predictor<const N: usize>(x: &[f32]) -> [f64; N] {
    // The cosine from the two before it: cos(a + w) = 2·cos w·cos a − cos(a − w).
    let w = std::f64::consts::TAU / x.len() as f64;
    let (mut last, mut now, turn) = ((0.5 * w).cos(), (0.5 * w).cos(), 2.0 * w.cos());
    let tapered = |v: &f32| {
        let y = f64::from(*v) * (0.5 - 0.5 * now);
        (last, now) = (now, turn * now - last);
        y
    };
    let y: Vec<f64> = x.iter().map(tapered).collect();
    let lag = |k: usize| product(y.get(k..).unwrap_or_default(), &y);
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

/// Sum of products, as far as both reach; eight strands hide how long one addition takes.
fn product(a: &[f64], b: &[f64]) -> f64 {
    let n = a.len().min(b.len());
    let ((a, rest_a), (b, rest_b)) = (a[..n].as_chunks::<8>(), b[..n].as_chunks::<8>());
    let mut sums = [0f64; 8];
    for (a, b) in a.iter().zip(b) {
        (0..8).for_each(|k| sums[k] += a[k] * b[k]);
    }
    sums.iter().sum::<f64>() + rest_a.iter().zip(rest_b).map(|(a, b)| a * b).sum::<f64>()
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
