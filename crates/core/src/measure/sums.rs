//! Sums over samples. Several are kept side by side: a single one would be added up sample after sample.

const SIDE_BY_SIDE: usize = 16;

fn folded(x: &[f32], one: impl Fn(f32, f32) -> f32, two: impl Fn(f32, f32) -> f32) -> f32 {
    let mut sums = [0f32; SIDE_BY_SIDE];
    let parts = x.chunks_exact(SIDE_BY_SIDE);
    let rest = parts.remainder().iter().fold(0.0, |s, v| one(s, *v));
    for part in parts {
        sums.iter_mut().zip(part).for_each(|(s, v)| *s = one(*s, *v));
    }
    sums.into_iter().fold(rest, two)
}

/// Sum of squares.
pub fn energy(x: &[f32]) -> f32 {
    folded(x, |s, v| s + v * v, |a, b| a + b)
}

/// Sum of the samples.
pub fn total_of(x: &[f32]) -> f32 {
    folded(x, |s, v| s + v, |a, b| a + b)
}

/// Largest absolute sample.
pub fn largest(x: &[f32]) -> f32 {
    let more = |a: f32, b: f32| if b > a { b } else { a };
    folded(x, |s, v| more(s, v.abs()), more)
}
