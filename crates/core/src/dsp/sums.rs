//! Sums over samples, eight side by side: a single one would be added up sample after sample.

use wide::f32x8;

const TOGETHER: usize = 8;

/// Sum of squares.
pub fn energy(x: &[f32]) -> f32 {
    let (parts, rest) = x.as_chunks::<TOGETHER>();
    // Two strands hide how long one addition takes.
    let mut sums = [f32x8::ZERO; 2];
    for (i, part) in parts.iter().enumerate() {
        let v = f32x8::from(*part);
        sums[i % 2] += v * v;
    }
    (sums[0] + sums[1]).reduce_add() + rest.iter().map(|v| v * v).sum::<f32>()
}

/// All sums of a stretch of sound, in one pass.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub struct Sums {
    /// Sum of squares.
    pub energy: f32,
    /// Sum of squares of the steps from sample to sample.
    pub steps: f32,
    /// Sum of the samples.
    pub total: f32,
    /// Largest absolute sample.
    pub largest: f32,
}

/// All sums of `x[1..]` at once; `x[0]` is the sample before, from which the first step is taken.
pub fn all(x: &[f32]) -> Sums {
    let Some((_, sound)) = x.split_first() else { return Sums::default() };
    let (parts, rest) = sound.as_chunks::<TOGETHER>();
    let (before, before_rest) = x[..sound.len()].as_chunks::<TOGETHER>();
    let [mut energy, mut steps, mut total, mut most] = [f32x8::ZERO; 4];
    for (before, part) in before.iter().zip(parts) {
        let v = f32x8::from(*part);
        let step = v - f32x8::from(*before);
        energy += v * v;
        steps += step * step;
        total += v;
        most = most.fast_max(v.abs());
    }
    let mut sums = Sums {
        energy: energy.reduce_add(),
        steps: steps.reduce_add(),
        total: total.reduce_add(),
        largest: most.to_array().into_iter().fold(0.0, f32::max),
    };
    for (v, before) in rest.iter().zip(before_rest) {
        sums.energy += v * v;
        sums.steps += (v - before) * (v - before);
        sums.total += v;
        sums.largest = sums.largest.max(v.abs());
    }
    sums
}
