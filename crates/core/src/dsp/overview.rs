//! Minimum, maximum and RMS of a channel at many zoom levels, so that no peak is lost when a whole session is drawn.

/// Frames a point at the finest level.
pub const BASE_FRAMES: usize = 64;
/// Each level is this much coarser than the one before.
pub const LEVEL_FACTOR: usize = 4;
/// Number of levels: 64, 256, … 65 536 frames a point.
pub const LEVELS: usize = 6;

/// Extremes and RMS of a stretch of frames.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Point {
    /// Smallest sample.
    pub min: f32,
    /// Largest sample.
    pub max: f32,
    /// Root mean square.
    pub rms: f32,
}

/// The pyramid of one channel; level 0 is the finest.
#[derive(Debug, Clone, Default)]
pub struct Overview {
    /// Points of each level in order of time.
    pub levels: Vec<Vec<Point>>,
}

/// Frames a point at a level.
pub fn frames_a_point(level: usize) -> usize {
    BASE_FRAMES * LEVEL_FACTOR.pow(u32::try_from(level).unwrap_or(u32::MAX))
}

/// Builds a pyramid from blocks of any length.
#[derive(Default)]
pub struct OverviewBuilder {
    base: Vec<Point>,
    rest: Vec<f32>,
}

impl OverviewBuilder {
    /// Adds the next frames.
    pub fn push(&mut self, mut frames: &[f32]) {
        if !self.rest.is_empty() {
            let take = frames.len().min(BASE_FRAMES - self.rest.len());
            self.rest.extend_from_slice(&frames[..take]);
            frames = &frames[take..];
            if self.rest.len() == BASE_FRAMES {
                self.base.push(point_of(&self.rest));
                self.rest.clear();
            }
        }
        let whole = frames.chunks_exact(BASE_FRAMES);
        self.rest.extend_from_slice(whole.remainder());
        self.base.extend(whole.map(point_of));
    }

    /// The finished pyramid; a last incomplete point covers what is left.
    pub fn finish(mut self) -> Overview {
        if !self.rest.is_empty() {
            self.base.push(point_of(&self.rest));
        }
        let mut levels = vec![self.base];
        for level in 1..LEVELS {
            levels.push(levels[level - 1].chunks(LEVEL_FACTOR).map(join).collect());
        }
        Overview { levels }
    }
}

fn point_of(frames: &[f32]) -> Point {
    // Eight lanes side by side, which the compiler turns into vectors; plain comparisons, since samples are finite.
    let (mut min, mut max, mut square) = ([f32::INFINITY; 8], [f32::NEG_INFINITY; 8], [0f32; 8]);
    for part in frames.chunks(8) {
        for (i, &v) in part.iter().enumerate() {
            min[i] = if v < min[i] { v } else { min[i] };
            max[i] = if v > max[i] { v } else { max[i] };
            square[i] += v * v;
        }
    }
    Point {
        min: min.into_iter().fold(f32::INFINITY, f32::min),
        max: max.into_iter().fold(f32::NEG_INFINITY, f32::max),
        rms: (square.iter().sum::<f32>() / frames.len() as f32).sqrt(),
    }
}

fn join(points: &[Point]) -> Point {
    let square: f32 = points.iter().map(|p| p.rms * p.rms).sum();
    Point {
        min: points.iter().map(|p| p.min).fold(f32::INFINITY, f32::min),
        max: points.iter().map(|p| p.max).fold(f32::NEG_INFINITY, f32::max),
        rms: (square / points.len() as f32).sqrt(),
    }
}
