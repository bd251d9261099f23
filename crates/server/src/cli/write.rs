//! Aligned copies: one a file, in a folder of their own.

use super::args::WriteArgs;
use super::files::Loaded;
use marea_core::edit::Edit;
use marea_core::signal::Placed;
use marea_core::units::SampleRate;
use marea_media::write::{Depth, WriteSpec};
use marea_session::deliver::{Channel, span, write_file};
use marea_session::names::{disk_name, stem};
use std::collections::HashSet;
use std::path::{Path, PathBuf};

/// A file to be written.
pub struct Planned<'a> {
    /// The recording whose name it takes.
    pub file: &'a Loaded,
    /// File and channel, from 0, whose sound each of its channels takes.
    pub order: Vec<(&'a Loaded, usize)>,
    /// What each of those carries.
    pub edits: Vec<Edit>,
    /// From which frame to which it is written; none where all go from one beginning to one end.
    pub range: Option<[i64; 2]>,
}

impl<'a> Planned<'a> {
    /// A recording with its own channels.
    pub fn of(file: &'a Loaded, edits: Vec<Edit>) -> Self {
        Self { file, order: (0..file.channels.len()).map(|c| (file, c)).collect(), edits, range: None }
    }

    fn channels(&self) -> Vec<Channel<'_>> {
        let channels = self.order.iter().zip(&self.edits);
        channels
            .map(|((file, c), edit)| Channel { sound: Placed { source: &file.channels[*c], start: file.start }, edit })
            .collect()
    }
}

/// Writes them all into a folder, from the anchor's beginning, or from the earliest sound when the head is kept, to the last end, where
/// they do not say otherwise.
///
/// # Errors
/// A sentence that names the file. Recordings are never written over.
pub fn write_all(
    plan: &[Planned],
    anchor: &Loaded,
    rate: SampleRate,
    (out, args): (&Path, &WriteArgs),
    description: &dyn Fn(&str) -> String,
) -> Result<(), String> {
    std::fs::create_dir_all(out).map_err(|e| format!("{}: {e}", out.display()))?;
    let channels: Vec<Vec<Channel>> = plan.iter().map(Planned::channels).collect();
    let [first, end] = span(channels.iter().flatten(), rate);
    let start = if args.keep_head { first } else { anchor.start.0 };
    let mut taken = HashSet::new();
    let paths: Vec<PathBuf> = plan.iter().map(|p| out.join(disk_name(stem(&p.file.name), "wav", &mut taken))).collect();
    // Looked at before anything is written: all or nothing.
    for path in &paths {
        let same = |p: &Path| p.canonicalize().ok().zip(path.canonicalize().ok()).is_some_and(|(a, b)| a == b);
        if plan.iter().any(|p| same(&p.file.path)) {
            return Err(format!("the recording {} would be written over; choose another folder", path.display()));
        }
        if path.exists() && !args.format.overwrite {
            return Err(format!("{} exists already; choose another folder, or add --overwrite", path.display()));
        }
    }
    for ((p, channels), path) in plan.iter().zip(&channels).zip(&paths) {
        let file = p.file;
        let [start, end] = p.range.unwrap_or([start, end]);
        let depth = if args.format.float { Depth::Float32 } else { Depth::Int24 };
        let mut spec = WriteSpec::new(rate, file.info.channels, depth);
        let stamp = anchor.info.time_reference.unwrap_or(0);
        spec.time_reference = stamp.saturating_add_signed(start - anchor.start.0);
        spec.description = description(&file.name);
        // Under another name until it is whole.
        let part = path.with_extension("wav.part");
        write_file(&part, spec, channels, [start, end], &mut |_| true)
            .map_err(|e| format!("{}: {e}", path.display()))?;
        std::fs::rename(&part, path).map_err(|e| format!("{}: {e}", path.display()))?;
    }
    Ok(())
}
