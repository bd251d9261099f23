//! Recordings along a map: made anew beside themselves.

use super::files::Loaded;
use marea_core::edit::map::TimeMap;
use marea_core::hits::seen::seen;
use marea_core::scaling::Scaled;
use marea_core::signal::{Placed, Source};
use marea_core::units::{SampleRate, SessionFrame};
use marea_media::prepare::channel_path;
use marea_media::work::{WorkFile, WorkWriter};
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

/// A recording along a map, its channels together, attacks as they were.
pub(super) fn scaled(of: &Loaded, how: &Scaling) -> Result<Loaded, String> {
    let told = |e: &dyn std::fmt::Display| format!("{}: {e}", of.name);
    std::fs::create_dir(&how.place).map_err(|e| told(&e))?;
    let sounds: Vec<Placed> = of.channels.iter().map(|source| Placed { source, start: of.start }).collect();
    let sources: Vec<&dyn Source> = of.channels.iter().map(|c| c as &dyn Source).collect();
    let start = of.start.0 as f64;
    let own: Vec<[f64; 2]> = how.points.iter().map(|p| [p[0] - start, p[1]]).collect();
    let map = match own.as_slice() {
        [] => TimeMap::new(vec![[0.0, start], [1.0, start + 1.0]]),
        _ => TimeMap::new(own),
    };
    let attacks: Vec<i64> = seen(&sounds, how.rate, &|_| true).map_err(|e| told(&e))?;
    let attacks: Vec<i64> = attacks.into_iter().map(|at| at - of.start.0).collect();
    let map = map.map_err(|e| told(&e))?;
    let mut reader = Scaled::new(&sources, &map, &attacks, how.rate).map_err(|e| told(&e))?;
    let path = |n: usize| channel_path(&how.place, u16::try_from(n + 1).unwrap_or(u16::MAX));
    let mut files = (0..sources.len()).map(|n| WorkWriter::create(&path(n))).collect::<Result<Vec<_>, _>>();
    let files = files.as_mut().map_err(|e| told(&e))?;
    loop {
        let block = reader.next_block().map_err(|e| told(&e))?;
        if block.is_empty() {
            break;
        }
        files.iter_mut().zip(&block).try_for_each(|(file, x)| file.push(x)).map_err(|e| told(&e))?;
    }
    files.drain(..).try_for_each(WorkWriter::finish).map_err(|e| told(&e))?;
    let channels = (0..sources.len()).map(|n| WorkFile::open(&path(n))).collect::<Result<Vec<_>, _>>();
    Ok(Loaded {
        path: of.path.clone(),
        name: of.name.clone(),
        info: of.info.clone(),
        channels: channels.map_err(|e| told(&e))?,
        start: SessionFrame(reader.plan().first()),
    })
}
