//! Where the periods of a voice are: one mark a period, each at the same place of its own.

/// A mark is looked for within this part of a period from where the one before it lets expect it.
const LOOK: f64 = 0.15;
/// Periods less alike than this say nothing of where they are: the mark stays where it is expected.
const ALIKE: f32 = 0.3;

/// Marks of a voiced stretch, rising, in samples of `x` and parts of them. `periods` are moments and the period there, both in samples,
/// moments rising.
pub fn marks(x: &[f32], periods: &[[f64; 2]]) -> Vec<f64> {
    let (Some(first), Some(last)) = (periods.first(), periods.last()) else { return Vec::new() };
    let Some(begin) = loudest(x, periods) else { return Vec::new() };
    let walk = |forward: bool| {
        let mut found = Vec::new();
        let mut at = begin;
        loop {
            let period = period_at(periods, at);
            let expected = if forward { at + period } else { at - period };
            if expected < first[0] || expected > last[0] {
                return found;
            }
            at = matched(x, [at, expected], period).unwrap_or(expected);
            found.push(at);
        }
    };
    let mut all = walk(false);
    all.reverse();
    all.push(begin);
    all.extend(walk(true));
    // Two that were drawn together are one.
    all.dedup_by(|next, kept| *next - *kept < 0.5 * period_at(periods, *kept));
    all
}

/// The period at a moment, straight between those that are told.
pub fn period_at(periods: &[[f64; 2]], at: f64) -> f64 {
    let n = periods.partition_point(|p| p[0] <= at);
    match (n.checked_sub(1).map(|n| periods[n]), periods.get(n).copied()) {
        (Some([a, p]), Some([b, q])) => p + (at - a) * (q - p) / (b - a),
        (Some([_, p]), None) | (None, Some([_, p])) => p,
        (None, None) => 1.0,
    }
}

/// The largest excursion of the loudest moment.
fn loudest(x: &[f32], periods: &[[f64; 2]]) -> Option<f64> {
    let about = |[at, period]: &[f64; 2]| {
        let half = 0.5 * period;
        let from = (at - half).max(0.0) as usize;
        let to = ((at + half) as usize + 1).min(x.len());
        let of = (from..to).max_by(|a, b| x[*a].abs().total_cmp(&x[*b].abs()))?;
        Some((of, x[of].abs()))
    };
    let all = periods.iter().filter_map(about);
    all.max_by(|a, b| a.1.total_cmp(&b.1)).map(|(at, _)| at as f64)
}

/// Where about an expected place the sound is most like a period about a known one; none where nothing is.
fn matched(x: &[f32], [known, expected]: [f64; 2], period: f64) -> Option<f64> {
    let (half, reach) = ((0.5 * period).ceil() as i64, (LOOK * period).ceil() as i64);
    let [known_at, expected_at] = [known, expected].map(|at| at.round() as i64);
    let part = |centre: i64| {
        let [from, to] = [centre - half, centre + half].map(|at| usize::try_from(at).ok());
        x.get(from?..to?)
    };
    let own = part(known_at)?;
    let size = |y: &[f32]| y.iter().map(|v| v * v).sum::<f32>().sqrt();
    let mine = size(own);
    let alike = |by: i64| -> Option<f32> {
        let other = part(expected_at + by)?;
        let both: f32 = own.iter().zip(other).map(|(a, b)| a * b).sum();
        Some(both / (mine * size(other)).max(f32::MIN_POSITIVE))
    };
    let all: Vec<(i64, f32)> = (-reach..=reach).filter_map(|by| Some((by, alike(by)?))).collect();
    let best = (0..all.len()).max_by(|a, b| all[*a].1.total_cmp(&all[*b].1))?;
    let (by, top) = all[best];
    if top < ALIKE || best == 0 || best + 1 == all.len() {
        return None;
    }
    let [l, m, r] = [all[best - 1].1, top, all[best + 1].1].map(f64::from);
    let between = 0.5 * (l - r) / (l - 2.0 * m + r);
    let between = if between.abs() <= 1.0 { between } else { 0.0 };
    // The known mark lies a part of a sample beside the one that was compared.
    Some((expected_at + by) as f64 + between + known - known_at as f64)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Short rings, one every period of a length that is not whole.
    fn pulses(period: f64, count: usize) -> Vec<f32> {
        let ring = |t: f64| if t < 0.0 { 0.0 } else { (-t / 30.0).exp() * (t * 0.35).sin() };
        let at = |n: usize| (0..count).map(|k| ring(n as f64 - 100.0 - k as f64 * period)).sum::<f64>();
        (0..(period * count as f64) as usize + 300).map(|n| at(n) as f32).collect()
    }

    #[test]
    fn marks_lie_a_period_apart_at_the_same_place_of_each() {
        for period in [97.3, 240.5, 431.7] {
            let x = pulses(period, 40);
            let periods: Vec<[f64; 2]> = (0..x.len() / 240).map(|n| [n as f64 * 240.0, period * 1.01]).collect();
            let found = marks(&x, &periods);
            assert!(found.len() >= 36, "{} marks", found.len());
            let inside = found.iter().filter(|m| **m > 150.0 && **m < 100.0 + 39.0 * period).copied();
            let inside: Vec<f64> = inside.collect();
            for pair in inside.windows(2) {
                assert!((pair[1] - pair[0] - period).abs() < 0.2, "{} instead of {period}", pair[1] - pair[0]);
            }
        }
    }

    #[test]
    fn a_period_is_read_between_moments() {
        let periods = [[0.0, 100.0], [10.0, 120.0]];
        assert_eq!([-5.0, 0.0, 5.0, 10.0, 20.0].map(|at| period_at(&periods, at)), [100.0, 100.0, 110.0, 120.0, 120.0]);
        assert!(marks(&[], &periods).is_empty() && marks(&[0.0; 50], &[]).is_empty());
    }
}
