//! From a file to working copies: decoded once, at the session's rate, a file a channel, with overviews and surveys.

use crate::work::{WorkFile, WorkWriter, write_overview, write_survey};
use crate::{AudioInfo, AudioReader, MediaError, Stop};
use marea_core::dsp::overview::OverviewBuilder;
use marea_core::measure::table::survey::SurveyBuilder;
use marea_core::render::resample::Resampler;
use marea_core::signal::{Source, index};
use marea_core::units::SampleRate;
use std::path::{Path, PathBuf};

/// A prepared recording.
#[derive(Debug, Clone)]
pub struct Prepared {
    /// What the file says. Its notes tell what is wrong with the file.
    pub info: AudioInfo,
    /// Frames at the session's rate.
    pub frames: i64,
    /// That it was resampled, in a sentence: nothing is wrong with that.
    pub resampled: Option<String>,
}

impl Prepared {
    /// Everything that was noticed.
    pub fn notes(&self) -> Vec<String> {
        self.info.notes.iter().chain(&self.resampled).cloned().collect()
    }
}

/// Why preparing stopped.
#[derive(Debug, thiserror::Error)]
pub enum PrepareError {
    /// The file.
    #[error(transparent)]
    Media(MediaError),
    /// The caller asked to stop.
    #[error("stopped on request")]
    Stopped,
}

impl From<MediaError> for PrepareError {
    fn from(e: MediaError) -> Self {
        if matches!(e, MediaError::Stopped) { Self::Stopped } else { Self::Media(e) }
    }
}

impl From<std::io::Error> for PrepareError {
    fn from(e: std::io::Error) -> Self {
        Self::Media(MediaError::Io(e))
    }
}

/// Where the working copy of a channel (from 1) lies in a folder.
pub fn channel_path(folder: &Path, channel: u16) -> PathBuf {
    folder.join(format!("{channel}.f32"))
}

/// Where its overview lies.
pub fn overview_path(folder: &Path, channel: u16) -> PathBuf {
    folder.join(format!("{channel}.overview"))
}

/// What is made of a channel while it passes.
struct Seen {
    overview: OverviewBuilder,
    survey: SurveyBuilder,
}

impl Seen {
    fn new(rate: SampleRate) -> Self {
        Self { overview: OverviewBuilder::default(), survey: SurveyBuilder::new(rate) }
    }

    fn push(&mut self, sound: &[f32]) {
        self.overview.push(sound);
        self.survey.push(sound);
    }

    /// Kept beside the working copy of this channel.
    fn keep(self, folder: &Path, channel: u16) -> std::io::Result<()> {
        write_overview(&overview_path(folder, channel), &self.overview.finish())?;
        write_survey(&channel_path(folder, channel), &self.survey.finish())
    }
}

/// One channel from its own rate to the session's; the raw copy goes.
fn resample(
    (raw, frames): (&Path, i64),
    made: &Path,
    [from, to]: [SampleRate; 2],
    seen: &mut Seen,
    progress: &mut dyn FnMut(f64) -> bool,
) -> Result<(), PrepareError> {
    let mut resampler = Resampler::new(from, to);
    let total = resampler.output_frames(frames);
    let source = WorkFile::open(raw)?;
    let mut out = WorkWriter::create(made)?;
    let mut buffer = vec![0f32; 16_384];
    let mut at = 0;
    while at < total {
        let count = index((total - at).min(16_384));
        resampler.read(&source, at, &mut buffer[..count]).map_err(|e| PrepareError::from(e.cause))?;
        out.push(&buffer[..count])?;
        seen.push(&buffer[..count]);
        at += count as i64;
        if !progress(at as f64 / total as f64) {
            return Err(PrepareError::Stopped);
        }
    }
    out.finish()?;
    std::fs::remove_file(raw)?;
    debug_assert_eq!(source.frames(), frames);
    Ok(())
}

/// Decodes `file` into `folder` (which exists and is empty) at `rate`; memory does not grow with the length.
/// `progress` gets the part done and returns `false` to stop; `stop` is also seen where nothing can be reported.
///
/// # Errors
/// [`PrepareError`]; the folder then holds parts that the caller throws away.
pub fn prepare(
    file: &Path,
    folder: &Path,
    rate: SampleRate,
    stop: &Stop,
    progress: &mut dyn FnMut(f64) -> bool,
) -> Result<Prepared, PrepareError> {
    let mut reader = AudioReader::open_until(file, stop.clone())?;
    let info = reader.info().clone();
    let same_rate = info.rate == rate;
    let channels = info.channels;
    let raw = |c: u16| if same_rate { channel_path(folder, c) } else { folder.join(format!("{c}.raw")) };
    let mut writers = (1..=channels).map(|c| WorkWriter::create(&raw(c))).collect::<Result<Vec<_>, _>>()?;
    let mut seen: Vec<Seen> = (0..channels).map(|_| Seen::new(rate)).collect();
    let (mut block, mut plane) = (Vec::new(), Vec::new());
    let mut done = 0u64;
    loop {
        reader.next_block(&mut block)?;
        if block.is_empty() {
            break;
        }
        let width = usize::from(channels);
        for (c, writer) in writers.iter_mut().enumerate() {
            plane.clear();
            plane.extend(block.iter().skip(c).step_by(width));
            writer.push(&plane)?;
            if same_rate {
                seen[c].push(&plane);
            }
        }
        done += (block.len() / width) as u64;
        let part = info.frames.map_or(0.5, |n| done as f64 / n.max(1) as f64);
        if !progress(part.min(1.0) * if same_rate { 1.0 } else { 0.4 }) {
            return Err(PrepareError::Stopped);
        }
    }
    for writer in writers {
        writer.finish()?;
    }
    let (info, read) = reader.finish();
    if read == 0 {
        return Err(MediaError::Malformed("it holds no sound".into()).into());
    }
    let (mut resampled, mut frames) = (None, i64::try_from(read).unwrap_or(i64::MAX));
    if !same_rate {
        let from = frames;
        frames = Resampler::new(info.rate, rate).output_frames(from);
        for (c, seen) in (1..=channels).zip(&mut seen) {
            let mut part = |p: f64| progress(0.4 + 0.6 * (f64::from(c - 1) + p) / f64::from(channels));
            let (raw, made) = (raw(c), channel_path(folder, c));
            resample((&raw, from), &made, [info.rate, rate], seen, &mut part)?;
        }
        resampled =
            Some(format!("was recorded at {} Hz and resampled to the session's {} Hz", info.rate.hz(), rate.hz()));
    }
    for (c, seen) in (1..=channels).zip(seen) {
        seen.keep(folder, c)?;
    }
    Ok(Prepared { info, frames, resampled })
}
