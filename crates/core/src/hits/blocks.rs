//! Long sounds, some seconds at a time.

use super::bins::Bins;
use crate::measure::table::Report;
use crate::progress::MeasureError;
use crate::signal::Placed;
use crate::units::SampleRate;
use rayon::prelude::*;
use std::sync::atomic::{AtomicUsize, Ordering};

/// Heard at a time, in seconds, and as much more on either side as arrivals and what is compared with them reach.
const BLOCK_S: f64 = 5.0;
const BESIDE_S: f64 = 0.08;

/// What `heard` makes of every block from the first to the last frame of `over`, in order of time: it is given the bins of all `sounds`,
/// and from which to which of them the block itself goes.
///
/// # Errors
/// [`MeasureError`] when a sound cannot be read or `report` says stop.
pub fn in_blocks<T: Send>(
    sounds: &[Placed],
    over: &[Placed],
    rate: SampleRate,
    report: Report,
    heard: impl Fn(&Bins, [i64; 2]) -> T + Sync,
) -> Result<Vec<T>, MeasureError> {
    let (begin, end) = (over.iter().map(|s| s.start.0).min(), over.iter().map(|s| s.end().0).max());
    let Some((begin, end)) = begin.zip(end) else { return Ok(Vec::new()) };
    let hop = Bins::hop(rate);
    let (block, beside) = ((rate.frames(BLOCK_S) / hop).max(1), rate.frames(BESIDE_S) / hop);
    let blocks: Vec<i64> = (0..).map(|n| begin + n * block * hop).take_while(|at| *at < end).collect();
    let done = AtomicUsize::new(0);
    let one = |at: &i64| {
        if !report(done.fetch_add(1, Ordering::Relaxed) as f64 / blocks.len() as f64) {
            return Err(MeasureError::Stopped);
        }
        let bins = Bins::read(sounds, at - beside * hop, (block + 2 * beside) as usize, rate)?;
        Ok(heard(&bins, [beside, beside + block]))
    };
    blocks.par_iter().map(one).collect()
}
