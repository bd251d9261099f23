//! Aligned copies: one a file, in a folder of their own.

use super::args::AlignArgs;
use super::files::Loaded;
use crate::names::{disk_name, stem};
use marea_core::edit::Edit;
use marea_core::render::track::TrackRenderer;
use marea_core::signal::{Placed, Source, index};
use marea_core::units::SampleRate;
use marea_media::write::{Depth, WavWriter, WriteSpec};
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
}

impl Planned<'_> {
    fn renderers(&self, rate: SampleRate) -> Vec<TrackRenderer<'_>> {
        let channels = self.order.iter().zip(&self.edits);
        channels
            .map(|((file, c), k)| {
                TrackRenderer::new(Placed { source: &file.channels[*c] as &dyn Source, start: file.start }, k, rate)
            })
            .collect()
    }
}

/// Writes them all from the anchor's beginning, or from the earliest sound when the head is kept, to the last end.
///
/// # Errors
/// A sentence that names the file. Recordings are never written over.
pub fn write_all(
    plan: &[Planned],
    anchor: &Loaded,
    rate: SampleRate,
    args: &AlignArgs,
    description: &dyn Fn(&str) -> String,
) -> Result<(), String> {
    std::fs::create_dir_all(&args.out).map_err(|e| format!("{}: {e}", args.out.display()))?;
    let spans: Vec<(i64, i64)> =
        plan.iter().flat_map(|p| p.renderers(rate).iter().map(|r| (r.first(), r.end())).collect::<Vec<_>>()).collect();
    let start = if args.keep_head { spans.iter().map(|s| s.0).min().unwrap_or(0) } else { anchor.start };
    let end = spans.iter().map(|s| s.1).max().unwrap_or(0);
    let mut taken = HashSet::new();
    let paths: Vec<PathBuf> =
        plan.iter().map(|p| args.out.join(disk_name(stem(&p.file.name), "wav", &mut taken))).collect();
    // Looked at before anything is written: all or nothing.
    for path in &paths {
        let same = |p: &Path| p.canonicalize().ok().zip(path.canonicalize().ok()).is_some_and(|(a, b)| a == b);
        if plan.iter().any(|p| same(&p.file.path)) {
            return Err(format!("the recording {} would be written over; choose another folder", path.display()));
        }
        if path.exists() && !args.overwrite {
            return Err(format!("{} exists already; choose another folder, or add --overwrite", path.display()));
        }
    }
    for (p, path) in plan.iter().zip(&paths) {
        let file = p.file;
        let depth = if args.float { Depth::Float32 } else { Depth::Int24 };
        let mut spec = WriteSpec::new(rate, file.info.channels, depth);
        let stamp = anchor.info.time_reference.unwrap_or(0);
        spec.time_reference = stamp.saturating_add_signed(start - anchor.start);
        spec.description = description(&file.name);
        let failed = |e: std::io::Error| format!("{}: {e}", path.display());
        // Under another name until it is whole.
        let part = path.with_extension("wav.part");
        let mut out = WavWriter::create(&part, spec).map_err(failed)?;
        let mut tracks = p.renderers(rate);
        let mut planes = vec![vec![0f32; 16_384]; tracks.len()];
        let mut at = start;
        while at < end {
            let n = index((end - at).min(16_384));
            for (t, p) in tracks.iter_mut().zip(&mut planes) {
                t.read(at, &mut p[..n]).map_err(|e| e.to_string())?;
            }
            let block: Vec<f32> = (0..n).flat_map(|i| planes.iter().map(move |p| p[i])).collect();
            out.push(&block).map_err(failed)?;
            at += n as i64;
        }
        out.finish().map_err(failed)?;
        std::fs::rename(&part, path).map_err(failed)?;
    }
    Ok(())
}
