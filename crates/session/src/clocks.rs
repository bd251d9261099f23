//! Recorders with clocks of their own, placed in the time of the first: by sound, and where that does not tell by time code, a clap or
//! time stamps.

use marea_core::edit::Edit;
use marea_core::edit::map::TimeMap;
use marea_core::progress::MeasureError;
use marea_core::signal::{MemSource, Source};
use marea_core::sync::{CLAIMED_PPM, Clap, Features, Line, Place, clap, place, shared_clock};
use marea_core::timecode::count::Count;
use marea_core::timecode::ltc::{self, Linear};
use marea_core::units::{Offset, SampleRate};
use marea_core::verdict::Verdict;
use serde::{Deserialize, Serialize};
use std::collections::HashSet;

/// Sound in which a time code is looked for before all of a channel is read, in seconds.
const CODE_LOOKED_FOR_S: f64 = 20.0;
/// Sound and time code contradict one another from so many seconds on: two frames.
const CONTRADICTS_S: f64 = 0.08;
/// Part of the work that is listening to each recording alone.
const LISTENING: f64 = 0.6;

/// Part done; `false` asks to stop.
type Report<'a> = &'a (dyn Fn(f64) -> bool + Sync);

/// A recording of the event.
pub struct Recording<'a> {
    /// Its file's name without the extension: a number at its end counts the pieces of one recorder.
    pub stem: String,
    /// What it is called in sentences.
    pub name: String,
    /// Its channels; the first that carries no time code is compared.
    pub channels: Vec<&'a dyn Source>,
    /// Its time stamp, in frames; none where no time is known.
    pub stamp: Option<f64>,
}

/// What a recording was placed by.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum By {
    /// Others are placed against it.
    Reference,
    /// Its sound.
    Sound,
    /// The time code that it carries.
    Code,
    /// The one clap in each.
    Clap,
    /// Time stamps.
    Stamp,
    /// Nothing told.
    Nothing,
}

/// A recording and what was found of it.
pub struct Clocked {
    /// Channel, from 0, that was compared; none where all of them carry a code.
    pub sound: Option<usize>,
    /// The time code, and the channel, from 0, that carries it.
    pub code: Option<(usize, Linear)>,
    /// Its one clap.
    pub clap: Option<Clap>,
    /// Where it lies in the time of the first.
    pub place: Place,
    /// By what.
    pub by: By,
    /// Its speed and the standard error of that, in parts of a million; from the sound alone.
    pub clock: Option<(f64, f64)>,
    /// Other pieces of the same recorder.
    pub shared_with: Vec<usize>,
    features: Option<Features>,
}

impl Clocked {
    /// Is the speed sure enough to be taken out?
    pub fn claimed(&self) -> bool {
        let together = !self.shared_with.is_empty() && self.clock.is_some_and(|(_, error)| error <= CLAIMED_PPM);
        self.by == By::Sound && (self.place.claimed() || together)
    }

    /// What brings a recording of so many frames into the time of the first, speed and all where that is sure; none where it was not
    /// placed.
    pub fn edit(&self, frames: i64) -> Option<Edit> {
        let line = self.place.line?;
        let end = frames.max(1) as f64;
        let at = |own: f64| own / (1.0 + 1e-6 * line.ppm);
        let map = self.claimed().then(|| TimeMap::new(vec![[0.0, 0.0], [end, at(end)]]).ok()).flatten();
        Some(Edit { map, placement: Offset(line.begins()).into(), invert: false, ..Edit::default() })
    }
}

/// Places recordings in the time of the first.
///
/// # Errors
/// [`MeasureError`] when a recording cannot be read or `report` says stop.
pub fn clocked(recordings: &[Recording], rate: SampleRate, report: Report) -> Result<Vec<Clocked>, MeasureError> {
    let all = recordings.len().max(1) as f64;
    let listen = |(n, r): (usize, &Recording)| {
        let part = |done: f64| report(LISTENING * (n as f64 + done) / all);
        listened(r, rate, &part)
    };
    let mut found: Vec<Clocked> = recordings.iter().enumerate().map(listen).collect::<Result<_, _>>()?;
    found[0].place = Place::reference();
    found[0].by = By::Reference;
    let work = Work { recordings, rate, report };
    let mut tried = HashSet::new();
    loop {
        work.by_sound(&mut found, &mut tried)?;
        // What else is placed may lead to others by sound.
        if !(1..found.len()).any(|n| found[n].place.line.is_none() && work.otherwise(&mut found, n)) {
            break;
        }
    }
    (1..found.len()).for_each(|n| work.contradicted(&mut found, n));
    work.clocks(&mut found);
    Ok(found)
}

/// Reads time codes, claps and features of a recording.
fn listened(r: &Recording, rate: SampleRate, report: Report) -> Result<Clocked, MeasureError> {
    let (mut code, mut sound) = (None, None);
    for (n, channel) in r.channels.iter().enumerate() {
        match code_of(*channel, rate, report)? {
            Some(read) if code.is_none() => code = Some((n, read)),
            Some(_) => {}
            None => sound = sound.or(Some(n)),
        }
    }
    let of = |n: usize| r.channels[n];
    let features = sound.map(|n| Features::measure(of(n), rate, &|| report(0.3))).transpose()?;
    let clap = sound.map(|n| clap(of(n), rate, &mut |part| report(0.6 + 0.4 * part))).transpose()?.flatten();
    let place = Place::undecided("nothing was compared");
    Ok(Clocked { sound, features, code, clap, place, by: By::Nothing, clock: None, shared_with: Vec::new() })
}

/// The code of a channel; all of it is read where a part of it is one.
fn code_of(channel: &dyn Source, rate: SampleRate, report: Report) -> Result<Option<Linear>, MeasureError> {
    let (total, len) = (channel.frames(), rate.frames(CODE_LOOKED_FOR_S));
    for part in 0..3 {
        let mut x = vec![0f32; usize::try_from(len.min(total)).unwrap_or(0)];
        channel.read((total - len).max(0) / 2 * part, &mut x)?;
        if ltc::read(&MemSource(x), rate, &mut |_| report(0.0))?.is_some() {
            return ltc::read(channel, rate, &mut |part| report(0.3 * part));
        }
    }
    Ok(None)
}

/// Seconds since midnight at the beginnings of two recordings that carry time codes, from one to the other, within half a day.
fn code_apart(a: &Clocked, b: &Clocked, rate: SampleRate) -> Option<f64> {
    let of = |f: &Clocked| f.code.as_ref()?.1.beginning_s(rate);
    let day = 86_400.0;
    Some((of(b)? - of(a)? + day / 2.0).rem_euclid(day) - day / 2.0)
}

struct Work<'a> {
    recordings: &'a [Recording<'a>],
    rate: SampleRate,
    report: Report<'a>,
}

impl Work<'_> {
    /// Places every recording against the first, or against another that was placed. Pairs that were tried are not tried again.
    fn by_sound(&self, found: &mut [Clocked], tried: &mut HashSet<(usize, usize)>) -> Result<(), MeasureError> {
        let pairs = (found.len() * found.len().saturating_sub(1) / 2).max(1) as f64;
        loop {
            let placed: Vec<usize> = (0..found.len()).filter(|n| found[*n].place.line.is_some()).collect();
            for n in 1..found.len() {
                for against in &placed {
                    if found[n].place.line.is_none() && tried.insert((*against, n)) {
                        let done = LISTENING + (1.0 - LISTENING) * (tried.len() as f64 / pairs).min(1.0);
                        self.against_one(found, [*against, n], done)?;
                    }
                }
            }
            if found.iter().filter(|f| f.place.line.is_some()).count() == placed.len() {
                return Ok(());
            }
        }
    }

    /// Places one recording by its sound against another that was placed; `done` of all work is done by then.
    fn against_one(&self, found: &mut [Clocked], [against, n]: [usize; 2], done: f64) -> Result<(), MeasureError> {
        let Some(mut next) = self.compared(found, [against, n], done)? else { return Ok(()) };
        let known = &found[against].place;
        if let (Some(known_line), Some(line)) = (known.line, next.line) {
            next.line = Some(known_line.then(&line));
            next.invert ^= known.invert;
            next.ppm_error = next.ppm_error.hypot(known.ppm_error);
            next.verdict = next.verdict.min(known.verdict);
            if against > 0 {
                next.reason = format!("{}, by way of {}", next.reason, self.recordings[against].name);
            }
            found[n].by = By::Sound;
        }
        found[n].place = next;
        Ok(())
    }

    fn compared(&self, found: &[Clocked], [a, b]: [usize; 2], done: f64) -> Result<Option<Place>, MeasureError> {
        let of = |n: usize| Some((self.recordings[n].channels[found[n].sound?], found[n].features.as_ref()?));
        let (Some(x), Some(y)) = (of(a), of(b)) else { return Ok(None) };
        place([x, y], self.rate, &|| (self.report)(done)).map(Some)
    }

    /// What did not fit by its sound is placed by time code, by a clap, or by time stamps, if it can be.
    fn otherwise(&self, found: &mut [Clocked], n: usize) -> bool {
        let (reference, one) = (&found[0], &found[n]);
        let code = code_apart(reference, one, self.rate).map(|s| (s * self.rate.hz_f64(), By::Code, "by time code"));
        let claps = reference
            .clap
            .zip(one.clap)
            .map(|(a, b)| ((a.frame - b.frame) as f64, By::Clap, "by the one clap in each"));
        let stamps =
            self.stamp_apart(n).map(|s| (s, By::Stamp, "by time stamps, which are as good as the clocks were set"));
        let Some((begins, by, reason)) = code.or(claps).or(stamps) else { return false };
        let place = &mut found[n].place;
        place.reason = format!("{}; placed {reason}", place.reason);
        place.line = Some(Line { at: -begins, ppm: 0.0 });
        place.verdict = Verdict::Likely;
        found[n].by = by;
        true
    }

    fn stamp_apart(&self, n: usize) -> Option<f64> {
        let apart = self.recordings[n].stamp? - self.recordings[0].stamp?;
        Some(apart).filter(|apart| apart.abs() < 43_200.0 * self.rate.hz_f64())
    }

    /// A time code that contradicts the sound is told.
    fn contradicted(&self, found: &mut [Clocked], n: usize) {
        let Some(line) = found[n].place.line.filter(|_| found[n].by == By::Sound) else { return };
        let Some(code) = code_apart(&found[0], &found[n], self.rate) else { return };
        let off = code - line.begins() / self.rate.hz_f64();
        if off.abs() > CONTRADICTS_S {
            let place = &mut found[n].place;
            place.reason = format!("{}; its time code says {off:+.2} s besides", place.reason);
        }
    }

    /// Pieces of one recorder, told by names that differ by a number at their end only, take one speed together.
    fn clocks(&self, found: &mut [Clocked]) {
        let recorder = |r: &Recording| r.stem.trim_end_matches(|c: char| c.is_ascii_digit()).to_lowercase();
        let names: Vec<String> = self.recordings.iter().map(recorder).collect();
        for n in 1..found.len() {
            let own = found[n].place.line.filter(|_| found[n].by == By::Sound);
            found[n].clock = own.map(|l| (l.ppm, found[n].place.ppm_error));
            let numbered = self.recordings[n].stem.len() > names[n].len();
            let pieces: Vec<usize> =
                (1..found.len()).filter(|k| numbered && names[*k] == names[n] && found[*k].by == By::Sound).collect();
            let places: Vec<&Place> = pieces.iter().map(|k| &found[*k].place).collect();
            if let (Some(shared), true) = (shared_clock(&places), pieces.contains(&n)) {
                found[n].clock = Some(shared);
                found[n].shared_with = pieces.into_iter().filter(|k| *k != n).collect();
            }
        }
        for (f, r) in found.iter_mut().zip(self.recordings).skip(1) {
            if let (Some(line), Some((ppm, _))) = (f.place.line, f.clock.filter(|_| !f.shared_with.is_empty())) {
                // Fitted best about its middle.
                let middle = line.begins() + 0.5 * r.channels[0].frames() as f64;
                f.place.line = Some(line.turned(ppm, middle));
            }
        }
    }
}

/// What is told of a time code.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct CodeSeen {
    /// Channel, from 1.
    pub channel: usize,
    /// How it counts: 24, 25, 29.97, 29.97 drop or 30.
    #[cfg_attr(feature = "openapi", schema(value_type = String))]
    pub count: Count,
    /// The first number that was read.
    pub first: String,
    /// Frame of the recording at which that one begins.
    pub first_sample: f64,
    /// Numbers that were read.
    pub frames: usize,
    /// Numbers between the first and the last that were not.
    pub missing: usize,
    /// Seconds since midnight at the recording's beginning.
    pub beginning_s: f64,
}

impl CodeSeen {
    /// What is told of the code of a recording, if it carries one.
    pub fn of(f: &Clocked, rate: SampleRate) -> Option<Self> {
        let (channel, linear) = f.code.as_ref()?;
        let first = linear.stamps.first()?;
        Some(Self {
            channel: channel + 1,
            count: linear.count,
            first: first.code.to_string(),
            first_sample: (first.at * 1e2).round() / 1e2,
            frames: linear.stamps.len(),
            missing: linear.missing,
            beginning_s: (linear.beginning_s(rate)? * 1e6).round() / 1e6,
        })
    }
}
