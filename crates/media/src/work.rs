//! Working copies: one channel at the session's rate as plain little-endian `f32`, readable anywhere without decoding.

use marea_core::dsp::overview::{Overview, Point};
use marea_core::measure::table::survey::Survey;
use marea_core::signal::{ReadError, Source, overlap};
use std::fs::File;
use std::io::{self, BufWriter, Write};
use std::os::unix::fs::FileExt;
use std::path::{Path, PathBuf};

/// A channel in a file.
pub struct WorkFile {
    file: File,
    frames: i64,
    path: PathBuf,
}

impl WorkFile {
    /// Opens a working copy.
    ///
    /// # Errors
    /// As the machine says.
    pub fn open(path: &Path) -> io::Result<Self> {
        let file = File::open(path)?;
        let frames = i64::try_from(file.metadata()?.len() / 4).unwrap_or(i64::MAX);
        Ok(Self { file, frames, path: path.to_path_buf() })
    }
}

impl Source for WorkFile {
    fn frames(&self) -> i64 {
        self.frames
    }

    fn read(&self, start: i64, out: &mut [f32]) -> Result<(), ReadError> {
        let Some((from, to, count)) = overlap(start, out.len(), self.frames) else {
            out.fill(0.0);
            return Ok(());
        };
        out[..to].fill(0.0);
        out[to + count..].fill(0.0);
        let inside = &mut out[to..to + count];
        self.file.read_exact_at(bytemuck::cast_slice_mut(inside), from as u64 * 4).map_err(|cause| ReadError {
            what: self.path.file_name().map_or_else(String::new, |n| n.to_string_lossy().into_owned()),
            cause,
        })?;
        if cfg!(target_endian = "big") {
            inside.iter_mut().for_each(|v| *v = f32::from_bits(v.to_bits().swap_bytes()));
        }
        Ok(())
    }

    fn surveyed(&self) -> Option<Vec<u8>> {
        std::fs::read(survey_path(&self.path)).ok()
    }

    /// Its path: a working copy is made of one recording, and never of another later.
    fn identity(&self) -> Option<Vec<u8>> {
        Some(self.path.as_os_str().as_encoded_bytes().to_vec())
    }
}

/// Where the survey of a working copy lies: beside it.
fn survey_path(work: &Path) -> PathBuf {
    work.with_extension("survey")
}

/// Keeps what the first pass over a working copy found.
///
/// # Errors
/// As the machine says.
pub fn write_survey(work: &Path, survey: &Survey) -> io::Result<()> {
    let mut out = File::create(survey_path(work))?;
    out.write_all(&survey.to_bytes())?;
    out.sync_all()
}

/// Writes a channel block by block.
pub struct WorkWriter {
    out: BufWriter<File>,
}

impl WorkWriter {
    /// Creates the file.
    ///
    /// # Errors
    /// As the machine says.
    pub fn create(path: &Path) -> io::Result<Self> {
        Ok(Self { out: BufWriter::with_capacity(1 << 17, File::create(path)?) })
    }

    /// Appends frames.
    ///
    /// # Errors
    /// As the machine says; disk full among others.
    pub fn push(&mut self, frames: &[f32]) -> io::Result<()> {
        if cfg!(target_endian = "big") {
            return frames.iter().try_for_each(|v| self.out.write_all(&v.to_le_bytes()));
        }
        self.out.write_all(bytemuck::cast_slice(frames))
    }

    /// Flushes to the disk.
    ///
    /// # Errors
    /// As the machine says.
    pub fn finish(self) -> io::Result<()> {
        self.out.into_inner().map_err(|e| e.into_error())?.sync_all()
    }
}

/// Writes a pyramid: all levels after one another, three `f32` a point (minimum, maximum, RMS).
///
/// # Errors
/// As the machine says.
pub fn write_overview(path: &Path, overview: &Overview) -> io::Result<()> {
    let mut out = BufWriter::new(File::create(path)?);
    for p in overview.levels.iter().flatten() {
        for v in [p.min, p.max, p.rms] {
            out.write_all(&v.to_le_bytes())?;
        }
    }
    out.into_inner().map_err(|e| e.into_error())?.sync_all()
}

/// Length in bytes of the overview of a channel of `frames` frames.
pub fn overview_bytes(frames: i64) -> u64 {
    overview_range(frames, marea_core::dsp::overview::LEVELS, 0, 0).0
}

/// Where points `from .. from+count` of a level lie in an overview file of a channel of `frames` frames: byte offset and
/// number of points that exist.
pub fn overview_range(frames: i64, level: usize, from: usize, count: usize) -> (u64, usize) {
    let mut points = usize::try_from(frames).unwrap_or(0).div_ceil(marea_core::dsp::overview::BASE_FRAMES);
    let mut before = 0;
    for _ in 0..level {
        before += points;
        points = points.div_ceil(marea_core::dsp::overview::LEVEL_FACTOR);
    }
    let from = from.min(points);
    (((before + from) * size_of::<Point>()) as u64, count.min(points - from))
}
