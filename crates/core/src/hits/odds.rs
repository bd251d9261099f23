//! How likely a moment is a stroke: logarithms of odds, fitted on simulated sets (`hits fit` among the scene's programs, see
//! docs/accuracy-hits.md).

use super::look::{COUNT, Signs};

/// What each number adds, and what all begin with.
struct Weights {
    begin: f32,
    each: [f32; COUNT],
}

/// Drums: their strokes rise in all bands.
const DARK: Weights = Weights {
    begin: -0.942,
    each: [
        0.219, -0.090, -0.044, -0.320, -0.110, -0.312, 0.207, 0.201, 0.172, -0.389, -0.021, 0.342, 0.034, 0.075, 0.183,
        -0.032, -0.081, -0.155, 0.066, 0.191, 0.513, -0.015, -0.238, 0.443, 0.405, -0.082, 0.332, 0.751, -0.034,
        -0.658, -0.023, 0.182, -0.090,
    ],
};
/// Cymbals and what else lives in the highs.
const BRIGHT: Weights = Weights {
    begin: 2.959,
    each: [
        -0.483, 0.946, 0.143, -0.541, -0.048, -0.082, 0.851, -0.019, -0.020, -0.319, 0.553, 0.760, 0.337, 0.116, 0.222,
        -0.046, -0.088, -0.047, -0.055, 0.453, 0.053, -0.125, 0.093, 0.047, 0.315, -0.005, 0.829, 1.314, 0.105, -1.094,
        -0.396, 0.103, -0.255,
    ],
};

/// Natural logarithm of the odds that a moment with these signs is a stroke of a source that is bright or not.
pub fn odds(signs: &Signs, bright: bool) -> f32 {
    let weights = if bright { BRIGHT } else { DARK };
    signs.row().iter().zip(weights.each).fold(weights.begin, |sum, (v, w)| sum + v * w)
}
