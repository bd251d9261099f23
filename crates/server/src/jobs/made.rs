//! A track made anew, along a course, at another pitch or wide: with what is linked with it, one file for each that they came in.

use crate::db::desk::Beneath;
use crate::db::tracks::{MadeOf, TrackRow};
use crate::derive::double::{Heard, without_path};
use crate::derive::pitch::PitchFound;
use crate::derive::proved::with_linked;
use crate::derive::work::open_until;
use crate::hash::Sum;
use crate::store::{Store, remove};
use crate::worker::JobError;
use marea_core::measure::table::Report;
use marea_core::retune::wanted::NoteChange;
use marea_core::signal::{Placed, ReadError, Since, Source, index};
use marea_core::track::Side;
use marea_core::units::{SampleRate, SessionFrame, db_of_power};
use marea_core::widen::drift::Asked as Wide;
use marea_media::Stop;
use marea_media::prepare::PrepareError;
use marea_media::write::{Depth, WavWriter, WriteSpec};
use marea_session::anew::{AnewError, METHOD, Push, Towards, along, along_and_towards, retuned, widened};
use std::path::Path;
use uuid::Uuid;

/// Part of the work that making the sound is; the rest is keeping it.
const SOUND: f64 = 0.8;
/// Frames read at a time.
const BLOCK: i64 = 16_384;

/// A track that others follow, and what is taken from it.
pub struct Following {
    /// The lead.
    pub lead: Uuid,
    /// Its name.
    pub name: String,
    /// Where session frames of a take go.
    pub course: Vec<[f64; 2]>,
    /// The lead's pitch, and which part of the way to it a take is drawn, 0 to 1.
    pub drawn: Option<(PitchFound, f64)>,
}

/// How a track is made anew.
pub enum How {
    /// In the time of a lead.
    Following(Following),
    /// With notes at another pitch; frames are those of the session.
    Retuned(Vec<NoteChange>),
    /// As a wide pair: a left and a right side, both of the one track.
    Widened(Wide),
}

/// A track that is to be made anew, with what is linked with it.
pub struct Making {
    /// The track and what is linked with it.
    pub set: Vec<TrackRow>,
    /// How.
    pub how: How,
    /// What the result is kept under: of the same sound, made in the same way by the same method, there is one.
    pub key: String,
}

/// What was made.
pub struct MadeFiles {
    /// Session frame of its first frame.
    pub start: i64,
    /// By how much it is louder than what it was made of, in dB.
    pub louder_db: f64,
    /// Files, kept in the store with their working copies.
    pub files: Vec<MadeFile>,
}

/// A channel of a file that is made.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Channel {
    /// Which of the sounds that are made.
    sound: usize,
    /// The track that it is made of, by its place in the set.
    pub of: usize,
    /// The side that it stands on, where it is another than that of the track.
    pub side: Option<Side>,
}

/// A file that was made.
pub struct MadeFile {
    /// Its channels in order.
    pub channels: Vec<Channel>,
    /// SHA-256.
    pub sha256: Vec<u8>,
    /// Bytes.
    pub bytes: u64,
    /// Length.
    pub frames: i64,
    /// Container and coding.
    pub coding: String,
}

impl How {
    fn hashed(&self, sum: &mut Sum) {
        let mut numbers = |word: &str, all: &mut dyn Iterator<Item = f64>| {
            sum.update(word);
            all.for_each(|v| sum.update(v.to_bits().to_le_bytes()));
        };
        match self {
            Self::Following(f) => {
                numbers("following", &mut f.course.iter().flatten().copied());
                if let Some((pitch, part)) = &f.drawn {
                    let hz = pitch.hz.iter().map(|hz| f64::from(*hz));
                    numbers("drawn", &mut [*part, pitch.first as f64, pitch.step_frames].into_iter().chain(hz));
                }
            }
            Self::Retuned(changes) => {
                let each = |c: &NoteChange| [c.from, c.to, c.cents, c.drift, c.vibrato];
                numbers("retuned", &mut changes.iter().flat_map(each));
            }
            Self::Widened(w) => {
                numbers("widened", &mut [w.copies as f64, w.apart_ms, w.cents, f64::from(w.drift)].into_iter());
            }
        }
    }

    /// Makes sounds that stand together anew, and gives the session frame of the first frame made.
    fn make(
        &self,
        sounds: &[Placed],
        (part, rate): (&Path, SampleRate),
        report: Report,
        push: Push,
    ) -> Result<SessionFrame, AnewError> {
        match self {
            Self::Following(Following { course, drawn: None, .. }) => along(sounds, course, rate, report, push),
            Self::Following(Following { course, drawn: Some((pitch, way)), .. }) => {
                let lead = Towards { hz: &|at| pitch.at(at), part: *way };
                along_and_towards(sounds, (course, &lead), (part, rate), report, push)
            }
            Self::Retuned(changes) => retuned(sounds, changes, rate, report, push),
            Self::Widened(asked) => widened(sounds, asked, rate, report, push),
        }
    }

    /// What a name says of it.
    pub fn word(&self) -> String {
        match self {
            Self::Following(f) => format!("with {}", f.name),
            Self::Retuned(_) => "retuned".into(),
            Self::Widened(_) => "wide".into(),
        }
    }

    /// The lead that it follows.
    pub fn lead(&self) -> Option<Uuid> {
        match self {
            Self::Following(f) => Some(f.lead),
            Self::Retuned(_) | Self::Widened(_) => None,
        }
    }
}

impl Making {
    /// Of a track and what is linked with it.
    pub fn new(all: &[TrackRow], track: Uuid, how: How) -> Self {
        let mut set: Vec<TrackRow> = with_linked(&[track], all).into_iter().map(|n| all[n].clone()).collect();
        // Whatever order they come in, it is the same set.
        set.sort_by_key(|t| t.id);
        let mut sum = Sum::default();
        sum.update(METHOD.to_le_bytes());
        for t in &set {
            sum.update(&t.sha256);
            sum.update(t.channel.to_le_bytes());
            sum.update(t.start_frame.to_le_bytes());
            sum.update(serde_json::to_string(&without_path(t.edit())).unwrap_or_default());
        }
        how.hashed(&mut sum);
        Self { set, how, key: sum.hex() }
    }

    /// Files that are made, each with its channels in order: those that the tracks came in, or one of two sides.
    fn files(&self) -> Vec<Vec<Channel>> {
        match self.how {
            How::Widened(_) => {
                let side = |sound: usize, side: Side| Channel { sound, of: 0, side: Some(side) };
                vec![vec![side(0, Side::Left), side(1, Side::Right)]]
            }
            _ => {
                let channel = |n: usize| Channel { sound: n, of: n, side: None };
                files_of(&self.set).into_iter().map(|file| file.into_iter().map(channel).collect()).collect()
            }
        }
    }

    /// Tracks of the session that were made like this already, also such as were taken out; none unless all of them are there.
    pub fn made(&self, all: &[TrackRow]) -> Option<Vec<Beneath>> {
        let each = if matches!(self.how, How::Widened(_)) { 2 } else { 1 };
        let mut found = Vec::new();
        for t in &self.set {
            let is_it = |m: &&TrackRow| m.made_of.as_ref().is_some_and(|m| m.key == self.key && m.take == t.id);
            found.extend(all.iter().filter(is_it).take(each).map(|m| Beneath { original: t.id, result: m.id }));
        }
        (found.len() == each * self.set.len()).then_some(found)
    }
}

/// Tracks of a session that were made of some others, each with what it was made of.
pub fn results_of<'a>(set: &[TrackRow], all: &'a [TrackRow]) -> Vec<(&'a TrackRow, &'a MadeOf)> {
    let of_them = |m: &&MadeOf| set.iter().any(|o| o.id == m.take);
    all.iter().filter_map(|t| Some((t, t.made_of.as_deref().filter(of_them)?))).collect()
}

/// Makes a track anew and keeps the files.
///
/// # Errors
/// As [`JobError`] says; what was written until then is removed.
pub fn make_files(store: &Store, making: &Making, rate_hz: u32, report: Report) -> Result<MadeFiles, JobError> {
    let part = store.part();
    let made = written(store, &part, making, rate_hz, report);
    remove(&part);
    made
}

fn written(store: &Store, part: &Path, making: &Making, rate_hz: u32, report: Report) -> Result<MadeFiles, JobError> {
    let name = &making.set[0].name;
    let failed = |e: &dyn std::fmt::Display| JobError::Failed(format!("“{name}” was not made anew: {e}"));
    let rate = SampleRate::new(u64::from(rate_hz)).map_err(|e| failed(&e))?;
    let stop = Stop::default();
    let open = |t: &TrackRow| open_until(store, t, rate_hz, &stop);
    let recordings = making.set.iter().map(open).collect::<Result<Vec<_>, _>>()?;
    let heard: Vec<Heard> = making.set.iter().zip(&recordings).map(|(t, f)| Heard::new(t, f, rate)).collect();
    let from = heard.iter().map(Heard::first).min().unwrap_or(0);
    let since: Vec<Since> = heard.iter().map(|h| h.since(from)).collect();
    let sounds: Vec<Placed> = since.iter().map(|source| Placed { source, start: SessionFrame(from) }).collect();
    // At most twice as long, once as a file and once as a working copy.
    let longest = since.iter().map(|s| s.frames().unsigned_abs()).sum::<u64>();
    store.check_room(longest * 16).map_err(|e| failed(&e))?;
    std::fs::create_dir_all(part).map_err(|e| failed(&e))?;
    let groups = making.files();
    let path = |n: usize| part.join(n.to_string());
    let writer = |(n, file): (usize, &Vec<Channel>)| {
        let channels = u16::try_from(file.len()).unwrap_or(1);
        let description = format!("{name} {}", making.how.word());
        WavWriter::create(&path(n), WriteSpec { description, ..WriteSpec::new(rate, channels, Depth::Float32) })
    };
    let writers = groups.iter().enumerate().map(writer).collect::<Result<Vec<_>, _>>();
    let mut writers = writers.map_err(|e| failed(&e))?;
    let (mut interleaved, mut power, mut frames) = (Vec::new(), 0.0, 0usize);
    let push = &mut |block: &[Vec<f32>]| {
        for (writer, file) in writers.iter_mut().zip(&groups) {
            interleaved.clear();
            interleaved.extend((0..block[0].len()).flat_map(|t| file.iter().map(move |c| block[c.sound][t])));
            writer.push(&interleaved)?;
        }
        frames += block[0].len();
        power += block.iter().map(|x| energy(x)).sum::<f64>();
        Ok(())
    };
    let start = making.how.make(&sounds, (part, rate), &|p| report(SOUND * p), push).map_err(|e| match e {
        AnewError::Stopped => JobError::Stopped,
        e => failed(&e),
    })?;
    writers.into_iter().try_for_each(|w| w.finish().map(|_| ())).map_err(|e| failed(&e))?;
    let before = sounds.iter().map(power_of).sum::<Result<f64, _>>().map_err(|e| failed(&e))?;
    let mut files = Vec::new();
    for (n, channels) in groups.into_iter().enumerate() {
        let (mut sum, file) = (Sum::default(), std::fs::File::open(path(n)).map_err(|e| failed(&e))?);
        let bytes = sum.read(file).map_err(|e| failed(&e))?;
        let sha256 = sum.finish();
        store.keep_recording(&path(n), &sha256).map_err(|e| failed(&e))?;
        let prepared = store.prepare(&sha256, rate, &stop, &mut |_| report(SOUND)).map_err(|e| match e {
            PrepareError::Stopped => JobError::Stopped,
            PrepareError::Media(e) => failed(&e),
        })?;
        files.push(MadeFile { channels, sha256, bytes, frames: prepared.frames, coding: prepared.info.coding });
    }
    let after = power / frames.max(1) as f64;
    let louder_db = if before > 0.0 && after > 0.0 { db_of_power(after / before) } else { 0.0 };
    Ok(MadeFiles { start: start.0, louder_db, files })
}

/// Which tracks of a set are channels of one file, each in the order of the channels.
fn files_of(set: &[TrackRow]) -> Vec<Vec<usize>> {
    let mut files: Vec<Vec<usize>> = Vec::new();
    for (n, t) in set.iter().enumerate() {
        match files.iter_mut().find(|f| set[f[0]].sha256 == t.sha256) {
            Some(file) => file.push(n),
            None => files.push(vec![n]),
        }
    }
    files.iter_mut().for_each(|f| f.sort_by_key(|n| set[*n].channel));
    files
}

fn energy(x: &[f32]) -> f64 {
    x.iter().map(|v| f64::from(v * v)).sum()
}

/// Mean power of a sound.
fn power_of(sound: &Placed) -> Result<f64, ReadError> {
    let (frames, mut block, mut sum) = (sound.source.frames(), vec![0f32; index(BLOCK)], 0.0);
    for at in (0..frames).step_by(index(BLOCK)) {
        sound.source.read(at, &mut block)?;
        sum += energy(&block);
    }
    Ok(sum / frames.max(1) as f64)
}
