//! Recordings made anew: along a course, with their attacks as they were and their pitch untouched; at another pitch, with their length
//! and their formants as they were; or wide, of one part two sides.

use marea_core::edit::map::{MapError, TimeMap};
use marea_core::hits::seen::seen;
use marea_core::measure::table::Report;
use marea_core::pitch::pitch;
use marea_core::progress::MeasureError;
use marea_core::retune::Retuned;
use marea_core::retune::wanted::{NoteChange, by_notes, towards};
use marea_core::scaling::Scaled;
use marea_core::signal::{Placed, ReadError, Source};
use marea_core::units::{SampleRate, SessionFrame};
use marea_core::widen::Widened;
use marea_core::widen::drift::{Asked as Wide, drifts};
use marea_media::work::{WorkFile, WorkWriter};
use std::path::Path;
use thiserror::Error;

/// Number of the method, kept with what it made. To be raised when the same would give another sound.
pub const METHOD: u32 = 1;
/// Part of the work that finding the attacks, or the pitch, is.
const FINDING: f64 = 0.2;

/// Why a recording was not made anew.
#[derive(Debug, Error)]
pub enum AnewError {
    /// It cannot be read.
    #[error("{0}")]
    Read(#[from] ReadError),
    /// The course is none that it can take.
    #[error("{0}")]
    Course(#[from] MapError),
    /// What was made cannot be kept.
    #[error("{0}")]
    Disk(#[from] std::io::Error),
    /// It was asked to stop.
    #[error("stopped")]
    Stopped,
}

impl From<MeasureError> for AnewError {
    fn from(e: MeasureError) -> Self {
        match e {
            MeasureError::Read(e) => Self::Read(e),
            MeasureError::Stopped => Self::Stopped,
        }
    }
}

/// Takes what is made, block by block: a list of samples a sound.
pub type Push<'a> = &'a mut dyn FnMut(&[Vec<f32>]) -> std::io::Result<()>;

/// Makes sounds that stand together anew: channels of one recording, or linked tracks, all from one session frame on. `course` says where
/// session frames of theirs go, both rising; none leaves them as they are. Gives the session frame of the first frame made.
///
/// # Errors
/// [`AnewError`]; what was pushed until then is the caller's to remove.
pub fn along(
    sounds: &[Placed],
    course: &[[f64; 2]],
    rate: SampleRate,
    report: Report,
    push: Push,
) -> Result<SessionFrame, AnewError> {
    let start = sounds.iter().map(|s| s.start.0).min().unwrap_or(0);
    let sources: Vec<&dyn Source> = sounds.iter().map(|s| s.source).collect();
    let begins = start as f64;
    let map = match course {
        [] => TimeMap::new(vec![[0.0, begins], [1.0, begins + 1.0]])?,
        _ => TimeMap::new(course.iter().map(|p| [p[0] - begins, p[1]]).collect())?,
    };
    let attacks = seen(sounds, rate, &|p| report(FINDING * p))?;
    let attacks: Vec<i64> = attacks.into_iter().map(|at| at - start).collect();
    let mut reader = Scaled::new(&sources, &map, &attacks, rate)?;
    let [first, end] = [reader.plan().first(), reader.plan().end()];
    pushed(&mut || reader.next_block(), end - first, report, push)?;
    Ok(SessionFrame(first))
}

/// The same at another pitch: `changes` say of notes, in session frames, what becomes of them. The pitch is that of the first sound.
///
/// # Errors
/// As [`along`].
pub fn retuned(
    sounds: &[Placed],
    changes: &[NoteChange],
    rate: SampleRate,
    report: Report,
    push: Push,
) -> Result<SessionFrame, AnewError> {
    let start = sounds.iter().map(|s| s.start.0).min().unwrap_or(0);
    let Some(voice) = sounds.first() else { return Ok(SessionFrame(start)) };
    // As the sources count.
    let own = Placed { source: voice.source, start: SessionFrame(0) };
    let told = pitch(&own, rate, &|p| report(FINDING * p))?;
    let moved = |c: &NoteChange| NoteChange { from: c.from - start as f64, to: c.to - start as f64, ..*c };
    let shifts = by_notes(&told, &changes.iter().map(moved).collect::<Vec<_>>());
    let sources: Vec<&dyn Source> = sounds.iter().map(|s| s.source).collect();
    let frames = sources.iter().map(|s| s.frames()).max().unwrap_or(0);
    let mut reader = Retuned::new(&sources, &told, &shifts, rate);
    pushed(&mut || reader.next_block(), frames, report, push)?;
    Ok(SessionFrame(start))
}

/// A pitch that another voice is drawn towards.
pub struct Towards<'a> {
    /// The pitch in Hz at a session frame.
    pub hz: &'a (dyn Fn(f64) -> Option<f64> + Sync),
    /// Part of the way, 0 to 1.
    pub part: f64,
}

/// As [`along`], and then drawn towards the pitch of the lead. What is made in between lies in `folder`, which is the caller's to remove.
///
/// # Errors
/// As [`along`].
pub fn along_and_towards(
    sounds: &[Placed],
    (course, lead): (&[[f64; 2]], &Towards),
    (folder, rate): (&Path, SampleRate),
    report: Report,
    push: Push,
) -> Result<SessionFrame, AnewError> {
    let path = |n: usize| folder.join(format!("between-{n}"));
    let files = (0..sounds.len()).map(|n| WorkWriter::create(&path(n))).collect::<Result<Vec<_>, _>>();
    let mut files = files?;
    let keep = &mut |block: &[Vec<f32>]| files.iter_mut().zip(block).try_for_each(|(file, x)| file.push(x));
    let start = along(sounds, course, rate, &|p| report(0.5 * p), keep)?;
    files.into_iter().try_for_each(WorkWriter::finish)?;
    let files = (0..sounds.len()).map(|n| WorkFile::open(&path(n))).collect::<Result<Vec<_>, _>>()?;
    let sources: Vec<&dyn Source> = files.iter().map(|f| f as &dyn Source).collect();
    let Some(voice) = sources.first() else { return Ok(start) };
    let own = Placed { source: *voice, start: SessionFrame(0) };
    let later = |p: f64| report(0.5 + 0.5 * p);
    let told = pitch(&own, rate, &|p| later(FINDING * p))?;
    let shifts = towards(&told, |at| (lead.hz)(at + start.0 as f64), lead.part);
    let frames = sources.iter().map(|s| s.frames()).max().unwrap_or(0);
    let mut reader = Retuned::new(&sources, &told, &shifts, rate);
    pushed(&mut || reader.next_block(), frames, &later, push)?;
    Ok(start)
}

/// One part as a wide pair: what is pushed are a left and a right side, whatever else stands with the part.
///
/// # Errors
/// As [`along`].
pub fn widened(
    sounds: &[Placed],
    asked: &Wide,
    rate: SampleRate,
    report: Report,
    push: Push,
) -> Result<SessionFrame, AnewError> {
    let Some(part) = sounds.first() else { return Ok(SessionFrame(0)) };
    let apart = asked.apart_ms * rate.hz_f64() / 1_000.0;
    let mut reader = Widened::new(part.source, drifts(asked, rate), apart);
    let (first, frames) = (reader.first(), reader.frames());
    pushed(&mut || reader.next_block(), frames, report, push)?;
    Ok(part.start.plus(first))
}

/// Takes a reader's blocks until there are no more.
fn pushed(
    next: &mut dyn FnMut() -> Result<Vec<Vec<f32>>, ReadError>,
    frames: i64,
    report: Report,
    push: Push,
) -> Result<(), AnewError> {
    let mut done = 0usize;
    loop {
        let block = next()?;
        let Some(own) = block.first().map(Vec::len).filter(|n| *n > 0) else { return Ok(()) };
        push(&block)?;
        done += own;
        let part = done as f64 / frames.max(1) as f64;
        if !report(FINDING + (1.0 - FINDING) * part) {
            return Err(AnewError::Stopped);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use marea_core::signal::MemSource;

    /// Two strokes a second apart that ring for a while.
    fn strokes() -> MemSource {
        let ring = |n: usize| (-(n as f64) / 6_000.0).exp() * (n as f64 * 0.06).sin();
        let at = |n: usize, from: usize| if n < from { 0.0 } else { 0.5 * ring(n - from) };
        MemSource((0..110_000).map(|n| (at(n, 9_600) + at(n, 57_600)) as f32).collect())
    }

    fn made(course: &[[f64; 2]]) -> (i64, Vec<f32>) {
        let source = strokes();
        let sound = Placed { source: &source, start: SessionFrame(4_800) };
        let mut all = Vec::new();
        let push = &mut |block: &[Vec<f32>]| {
            all.extend_from_slice(&block[0]);
            Ok(())
        };
        let rate = SampleRate::new(48_000).unwrap();
        let first = along(&[sound], course, rate, &|_| true, push).unwrap();
        (first.0, all)
    }

    #[test]
    fn without_a_course_it_is_what_it_was() {
        let (first, sound) = made(&[]);
        assert_eq!((first, &sound[..]), (4_800, &strokes().0[..]));
    }

    #[test]
    fn a_stroke_goes_where_its_course_says() {
        // The first stroke stays, the second comes a tenth of a second later.
        let (first, sound) = made(&[[14_400.0, 14_400.0], [62_400.0, 67_200.0]]);
        let loud =
            |from: i64| sound.iter().skip((from - first) as usize).position(|v| v.abs() > 0.05).unwrap() as i64 + from;
        assert!((loud(first) - 14_400).abs() < 48, "{}", loud(first));
        assert!((loud(66_000) - 67_200).abs() < 48, "{}", loud(66_000));
    }

    /// A tone with harmonics a semitone up where it is asked, and as it was elsewhere.
    #[test]
    fn a_note_goes_up_where_it_is_asked() {
        let wave = |n: usize| (1..9).map(|k| (0.0262 * (k * n) as f64).sin() / k as f64).sum::<f64>();
        let sound: Vec<f32> = (0..96_000).map(|n| (0.1 * wave(n)) as f32).collect();
        let source = MemSource(sound.clone());
        let placed = Placed { source: &source, start: SessionFrame(1_000) };
        let change = NoteChange { from: 25_000.0, to: 73_000.0, cents: 100.0, drift: 1.0, vibrato: 1.0 };
        let mut made = Vec::new();
        let push = &mut |block: &[Vec<f32>]| {
            made.extend_from_slice(&block[0]);
            Ok(())
        };
        let rate = SampleRate::new(48_000).unwrap();
        let start = retuned(&[placed], &[change], rate, &|_| true, push).unwrap();
        assert_eq!((start.0, made.len()), (1_000, sound.len()));
        let hz = |from: usize| {
            let part = MemSource(made[from..from + 9_600].to_vec());
            let told = pitch(&Placed { source: &part, start: SessionFrame(0) }, rate, &|_| true).unwrap();
            told[20].hz.unwrap()
        };
        let cents = 1_200.0 * (hz(40_000) / hz(2_000)).log2();
        assert!((cents - 100.0).abs() < 3.0, "{cents}");
    }

    /// A tone 30 cents sharp, half of the way to the lead an octave above.
    #[test]
    fn a_voice_is_drawn_towards_its_lead() {
        let wave = |n: usize| (1..9).map(|k| (0.0262 * (k * n) as f64).sin() / k as f64).sum::<f64>();
        let source = MemSource((0..96_000).map(|n| (0.1 * wave(n)) as f32).collect());
        let placed = Placed { source: &source, start: SessionFrame(500) };
        let own = 48_000.0 * 0.0262 / std::f64::consts::TAU;
        let hz = |_: f64| Some(2.0 * own * 2f64.powf(-30.0 / 1_200.0));
        let (rate, folder) = (SampleRate::new(48_000).unwrap(), tempfile::tempdir().unwrap());
        let mut made = Vec::new();
        let push = &mut |block: &[Vec<f32>]| {
            made.extend_from_slice(&block[0]);
            Ok(())
        };
        let lead = Towards { hz: &hz, part: 0.5 };
        let start = along_and_towards(&[placed], (&[], &lead), (folder.path(), rate), &|_| true, push).unwrap();
        assert_eq!((start.0, made.len()), (500, 96_000));
        let after = MemSource(made);
        let told = pitch(&Placed { source: &after, start: SessionFrame(0) }, rate, &|_| true).unwrap();
        let cents = 1_200.0 * (told[200].hz.unwrap() / own).log2();
        assert!((cents + 15.0).abs() < 2.0, "{cents}");
    }

    #[test]
    fn a_part_becomes_two_sides() {
        let source = strokes();
        let placed = Placed { source: &source, start: SessionFrame(2_000) };
        let asked = Wide { copies: 2, apart_ms: 10.0, cents: 5.0, drift: 1 };
        let mut made = vec![Vec::new(); 2];
        let push = &mut |block: &[Vec<f32>]| {
            made.iter_mut().zip(block).for_each(|(all, x): (&mut Vec<f32>, _)| all.extend_from_slice(x));
            Ok(())
        };
        let rate = SampleRate::new(48_000).unwrap();
        let start = widened(&[placed], &asked, rate, &|_| true, push).unwrap();
        assert_eq!((start.0, made[0].len(), made[1].len()), (1_520, 110_960, 110_960));
        // The first stroke comes on either side when its copy has it.
        for (side, drift) in made.iter().zip(drifts(&asked, rate)) {
            let loud = side.iter().position(|v| v.abs() > 0.05).unwrap() as f64 + start.0 as f64;
            assert!((loud - 11_600.0 - drift.later(9_600.0)).abs() < 24.0, "{loud} {}", drift.later(9_600.0));
        }
    }

    #[test]
    fn whoever_asks_to_stop_is_heard() {
        let source = strokes();
        let sound = Placed { source: &source, start: SessionFrame(0) };
        let rate = SampleRate::new(48_000).unwrap();
        let stopped = along(&[sound], &[], rate, &|p| p < 0.5, &mut |_| Ok(()));
        assert!(matches!(stopped, Err(AnewError::Stopped)));
        let full = std::io::Error::from(std::io::ErrorKind::StorageFull);
        let mut once = Some(full);
        let refused = along(&[sound], &[], rate, &|_| true, &mut |_| once.take().map_or(Ok(()), Err));
        assert!(matches!(refused, Err(AnewError::Disk(_))));
    }
}
