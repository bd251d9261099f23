//! Recordings along a course, into working copies of their own.

use super::files::Loaded;
use marea_core::signal::Placed;
use marea_core::units::SampleRate;
use marea_media::prepare::channel_path;
use marea_media::work::{WorkFile, WorkWriter};
use marea_session::anew::along;
use std::path::PathBuf;

/// How one is made.
pub(super) struct Scaling {
    /// Session frames of what is heard, and where they go; both rising. None where nothing moves.
    pub points: Vec<[f64; 2]>,
    /// The session's rate.
    pub rate: SampleRate,
    /// A folder that is not there yet.
    pub place: PathBuf,
}

/// A recording along a course, its channels together, attacks as they were.
pub(super) fn scaled(of: &Loaded, how: &Scaling) -> Result<Loaded, String> {
    let told = |e: &dyn std::fmt::Display| format!("{}: {e}", of.name);
    std::fs::create_dir(&how.place).map_err(|e| told(&e))?;
    let sounds: Vec<Placed> = of.channels.iter().map(|source| Placed { source, start: of.start }).collect();
    let path = |n: usize| channel_path(&how.place, u16::try_from(n + 1).unwrap_or(u16::MAX));
    let files = (0..sounds.len()).map(|n| WorkWriter::create(&path(n))).collect::<Result<Vec<_>, _>>();
    let mut files = files.map_err(|e| told(&e))?;
    let push = &mut |block: &[Vec<f32>]| files.iter_mut().zip(block).try_for_each(|(file, x)| file.push(x));
    let start = along(&sounds, &how.points, how.rate, &|_| true, push).map_err(|e| told(&e))?;
    files.into_iter().try_for_each(WorkWriter::finish).map_err(|e| told(&e))?;
    let channels = (0..sounds.len()).map(|n| WorkFile::open(&path(n))).collect::<Result<Vec<_>, _>>();
    Ok(Loaded {
        path: of.path.clone(),
        name: of.name.clone(),
        info: of.info.clone(),
        channels: channels.map_err(|e| told(&e))?,
        start,
    })
}
