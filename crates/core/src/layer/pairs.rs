//! Which stroke of a layer belongs to which of its source.

use crate::units::SampleRate;

/// A layer is later or earlier than its source by no more, in seconds.
const FARTHEST_S: f64 = 0.08;
/// Lags are counted in steps of this, in seconds, each with its neighbours.
const STEP_S: f64 = 0.001;
/// Part of the fewer strokes that the common lag has to explain.
const PART: f64 = 0.3;

/// The lag that most strokes share, in frames: positive where the layer is later. None where hardly any do.
pub fn common_lag(source: &[f64], layer: &[f64], rate: SampleRate) -> Option<f64> {
    let (farthest, step) = (FARTHEST_S * rate.hz_f64(), STEP_S * rate.hz_f64());
    let steps = (farthest / step).round() as i64;
    let mut counted = vec![Vec::new(); 2 * steps as usize + 1];
    for s in source {
        let from = layer.partition_point(|l| *l < s - farthest);
        for lag in layer[from..].iter().map(|l| l - s).take_while(|lag| *lag <= farthest) {
            let place = ((lag / step).round() as i64 + steps).clamp(0, 2 * steps);
            counted[place as usize].push(lag);
        }
    }
    let near = |n: usize| n.saturating_sub(1)..(n + 2).min(counted.len());
    let count = |n: usize| counted[near(n)].iter().map(Vec::len).sum::<usize>();
    let centre = |n: usize| (n as i64 - steps).abs();
    let best = (0..counted.len()).max_by_key(|n| (count(*n), -centre(*n)))?;
    let fewest = (PART * source.len().min(layer.len()) as f64).max(1.0);
    if (count(best) as f64) < fewest {
        return None;
    }
    let mut lags: Vec<f64> = counted[near(best)].concat();
    crate::dsp::stats::median(&mut lags)
}

/// By stroke of the source, which of the layer's: the closest to the common lag first, each once.
pub fn paired(source: &[f64], layer: &[f64], common: f64, reach: f64) -> Vec<Option<usize>> {
    let mut near = Vec::new();
    for (s, at) in source.iter().enumerate() {
        let expected = at + common;
        let from = layer.partition_point(|l| *l < expected - reach);
        let inside = (from..layer.len()).take_while(|n| layer[*n] <= expected + reach);
        near.extend(inside.map(|n| ((layer[n] - expected).abs(), s, n)));
    }
    near.sort_by(|a, b| a.0.total_cmp(&b.0));
    let (mut of, mut taken) = (vec![None; source.len()], vec![false; layer.len()]);
    for (_, s, n) in near {
        if of[s].is_none() && !taken[n] {
            (of[s], taken[n]) = (Some(n), true);
        }
    }
    of
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_lag_that_most_share_is_found_and_each_stroke_is_used_once() {
        let rate = SampleRate::new(48_000).unwrap();
        let source: Vec<f64> = (0..20).map(|n| 10_000.0 * f64::from(n)).collect();
        let mut layer: Vec<f64> = source.iter().map(|s| s + 700.0 + (s / 500.0) % 40.0).collect();
        layer.remove(4);
        layer.push(150_900.0);
        layer.sort_by(f64::total_cmp);
        let lag = common_lag(&source, &layer, rate).unwrap();
        assert!((lag - 720.0).abs() < 25.0, "{lag}");
        let of = paired(&source, &layer, lag, 384.0);
        assert_eq!(of.iter().filter(|o| o.is_none()).count(), 1);
        assert_eq!(of[4], None);
        let extra = layer.iter().position(|l| *l == 150_900.0).unwrap();
        assert!(!of.contains(&Some(extra)), "the second stroke of one is nobody's");
        assert_eq!(common_lag(&source, &[], rate), None);
        assert_eq!(common_lag(&[0.0], &[48_000.0], rate), None);
    }
}
