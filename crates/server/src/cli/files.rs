//! Recordings named on the command line, decoded into working copies.

use marea_core::signal::Placed;
use marea_core::units::{SampleRate, SessionFrame};
use marea_media::prepare::{channel_path, prepare};
use marea_media::work::WorkFile;
use marea_media::{AudioInfo, Stop};
use serde::Serialize;
use std::path::{Path, PathBuf};

/// A file and what was noticed when it was read.
#[derive(Debug, Serialize)]
pub struct FileReport {
    /// Base name.
    pub file: String,
    /// What is wrong with it and how it was dealt with, in sentences.
    pub notes: Vec<String>,
}

pub(super) struct Loaded {
    pub(super) path: PathBuf,
    pub(super) name: String,
    pub(super) info: AudioInfo,
    pub(super) channels: Vec<WorkFile>,
    pub(super) start: SessionFrame,
}

impl Loaded {
    /// Its first channel, where it stands.
    pub(super) fn placed(&self) -> Result<Placed<'_>, String> {
        let source = self.channels.first().ok_or_else(|| format!("{}: no channel", self.name))?;
        Ok(Placed { source, start: self.start })
    }
}

/// Two files at the rate of the first, the second where its time stamp has it.
pub(super) struct Two {
    pub(super) files: [Loaded; 2],
    pub(super) rate: SampleRate,
    /// Goes with the working copies in it.
    _folder: tempfile::TempDir,
}

pub(super) fn load_two(paths: [&Path; 2]) -> Result<Two, String> {
    let opened = marea_media::AudioReader::open(paths[0]).map_err(|e| format!("{} {e}", paths[0].display()))?;
    let rate = opened.info().rate;
    let folder = tempfile::tempdir().map_err(|e| format!("no temporary folder: {e}"))?;
    let [first, second] = [("first", paths[0]), ("second", paths[1])];
    let mut files =
        [load(first.1, &folder.path().join(first.0), rate)?, load(second.1, &folder.path().join(second.0), rate)?];
    place_by_stamp(&mut files, 0, rate);
    Ok(Two { files, rate, _folder: folder })
}

pub(super) fn base_name(path: &Path) -> String {
    path.file_name().map_or_else(|| path.display().to_string(), |n| n.to_string_lossy().into_owned())
}

/// Decodes a file into working copies in a new folder.
pub(super) fn load(path: &Path, place: &Path, rate: SampleRate) -> Result<Loaded, String> {
    let name = base_name(path);
    std::fs::create_dir(place).map_err(|e| e.to_string())?;
    let made =
        prepare(path, place, rate, &Stop::default(), &mut |_| true).map_err(|e| format!("{} {e}", path.display()))?;
    for note in made.notes() {
        eprintln!("{}: {note}", path.display());
    }
    let channels = (1..=made.info.channels)
        .map(|c| WorkFile::open(&channel_path(place, c)).map_err(|e| format!("{name}: {e}")))
        .collect::<Result<Vec<_>, _>>()?;
    Ok(Loaded { path: path.to_path_buf(), name, info: made.info, channels, start: SessionFrame(0) })
}

pub(super) fn file_reports(files: &[Loaded]) -> Vec<FileReport> {
    files.iter().map(|f| FileReport { file: f.name.clone(), notes: f.info.notes.clone() }).collect()
}

/// Was anything wrong with a file itself?
pub(super) fn any_noted(files: &[Loaded]) -> bool {
    files.iter().any(|f| !f.info.notes.is_empty())
}

/// Files with time stamps stand where their stamps say, relative to the anchor.
pub(super) fn place_by_stamp(files: &mut [Loaded], anchor: usize, rate: SampleRate) {
    let at = |f: &Loaded| {
        f.info.time_reference.map(|t| i128::from(t) * i128::from(rate.hz()) / i128::from(f.info.rate.hz()))
    };
    let Some(origin) = at(&files[anchor]) else { return };
    for f in files {
        let apart = at(f).map_or(0, |t| t - origin);
        if apart.abs() < i128::from(rate.hz()) * 43_200 {
            f.start = SessionFrame(i64::try_from(apart).unwrap_or(0));
        }
    }
}
