//! Tracks as they are carried, written into files.

use marea_core::edit::Edit;
use marea_core::render::track::TrackRenderer;
use marea_core::signal::{Placed, ReadError, index};
use marea_core::units::SampleRate;
use marea_media::write::{WavWriter, WriteSpec};
use std::path::Path;
use thiserror::Error;

/// Frames rendered at a time.
const BLOCK: i64 = 16_384;

/// Why a file was not written.
#[derive(Debug, Error)]
pub enum DeliverError {
    /// The disk says so.
    #[error("{0}")]
    Disk(#[from] std::io::Error),
    /// A recording cannot be read.
    #[error("{0}")]
    Read(#[from] ReadError),
    /// It was asked to stop.
    #[error("stopped")]
    Stopped,
}

/// A channel of a file: whose sound, and what that carries.
#[derive(Clone, Copy)]
pub struct Channel<'a> {
    /// The recording where it was recorded.
    pub sound: Placed<'a>,
    /// What it carries.
    pub edit: &'a Edit,
}

impl<'a> Channel<'a> {
    fn renderer(&self, rate: SampleRate) -> TrackRenderer<'a> {
        TrackRenderer::new(self.sound, self.edit, rate)
    }
}

/// From where to where channels sound, in session frames; nothing from 0 to 0.
pub fn span<'a>(channels: impl IntoIterator<Item = &'a Channel<'a>>, rate: SampleRate) -> [i64; 2] {
    let each = channels.into_iter().map(|c| c.renderer(rate)).map(|r| [r.first(), r.end()]);
    each.reduce(|a, b| [a[0].min(b[0]), a[1].max(b[1])]).unwrap_or([0, 0])
}

/// What was written.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Written {
    /// Samples held at full scale.
    pub clipped: u64,
    /// Frames of sound before the file's beginning that were left out.
    pub left_out_frames: i64,
}

/// Writes channels side by side from one session frame to another. `progress` is told the frames written and may stop it.
///
/// # Errors
/// [`DeliverError`]; what was written until then is the caller's to remove.
pub fn write_file(
    path: &Path,
    spec: WriteSpec,
    channels: &[Channel],
    [start, end]: [i64; 2],
    progress: &mut dyn FnMut(i64) -> bool,
) -> Result<Written, DeliverError> {
    let mut renderers: Vec<TrackRenderer> = channels.iter().map(|c| c.renderer(spec.rate)).collect();
    let left_out_frames = renderers.iter().map(|r| (start - r.first()).max(0)).max().unwrap_or(0);
    let mut out = WavWriter::create(path, spec)?;
    let mut planes = vec![vec![0f32; index(BLOCK)]; channels.len()];
    let mut block = Vec::new();
    let mut at = start;
    while at < end {
        let n = index((end - at).min(BLOCK));
        for (r, p) in renderers.iter_mut().zip(&mut planes) {
            r.read(at, &mut p[..n])?;
        }
        block.clear();
        block.extend((0..n).flat_map(|t| planes.iter().map(move |p| p[t])));
        out.push(&block)?;
        at += n as i64;
        if !progress(at - start) {
            return Err(DeliverError::Stopped);
        }
    }
    Ok(Written { clipped: out.finish()?, left_out_frames })
}
