//! Slates and claps: single short sounds over quiet.

use crate::dsp::envelope::Envelope;
use crate::progress::{MeasureError, Progress};
use crate::signal::{Placed, Source};
use crate::units::{SampleRate, SessionFrame, db_of_power};

/// Louder than the quarter of a second before it by so many dB, and than the quarter after it has faded.
const OVER_DB: f64 = 20.0;
/// That quarter, and where the fading is looked at, in ms.
const BEFORE_MS: usize = 250;
const FADED_MS: std::ops::Range<usize> = 250..400;
/// Louder than any other such sound by so many dB.
const ALONE_DB: f64 = 6.0;

/// A clap.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Clap {
    /// Where it begins, in frames of the recording, to a ms.
    pub frame: i64,
    /// Its level in dB.
    pub level_db: f64,
}

/// The clap of a recording: a short sound over quiet that is louder than any other of the kind; none where there are several alike.
///
/// # Errors
/// [`MeasureError`] when the recording cannot be read or `progress` says stop.
pub fn clap(source: &dyn Source, rate: SampleRate, progress: Progress) -> Result<Option<Clap>, MeasureError> {
    let placed = Placed { source, start: SessionFrame(0) };
    let envelope = Envelope::measure(&placed, rate, progress)?;
    let power = &envelope.power;
    let mean = |from: usize, to: usize| {
        let part = &power[from.min(power.len())..to.min(power.len())];
        part.iter().map(|p| f64::from(*p)).sum::<f64>() / part.len().max(1) as f64
    };
    let mut claps: Vec<Clap> = Vec::new();
    for onset in envelope.onsets() {
        let at = (onset.frame / envelope.hop as i64) as usize;
        let level = db_of_power(mean(at, at + 5).max(1e-20));
        let before = db_of_power(mean(at.saturating_sub(BEFORE_MS), at.saturating_sub(2)).max(1e-20));
        let after = db_of_power(mean(at + FADED_MS.start, at + FADED_MS.end).max(1e-20));
        if level - before > OVER_DB && level - after > OVER_DB {
            claps.push(Clap { frame: onset.frame, level_db: level });
        }
    }
    claps.sort_by(|a, b| b.level_db.total_cmp(&a.level_db));
    let next = claps.get(1).map_or(f64::NEG_INFINITY, |c| c.level_db);
    Ok(claps.first().copied().filter(|c| c.level_db - next >= ALONE_DB))
}
