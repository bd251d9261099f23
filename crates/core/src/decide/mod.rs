//! From the arrival table to findings and advice: what is wrong, what only stands that way, and what to do.
//!
//! Pure: the same table and the same tracks give the same answer. Corrections that tracks carry are applied to the table
//! first, so that the session can be judged as recorded and as corrected without measuring anew.

mod advice;
mod cost;
mod latency;
pub mod plain;
mod polarity;
pub mod repair;
mod setup;
mod sides;
mod signs;
mod words;

pub use cost::{Gain, Move, sum_gain, whole};
pub use setup::{Named, said, tracks_of};
pub use sides::{PairSides, Tells};
pub use signs::{Link, Solution, solve};
pub use words::{Guess, guess, other_side_name};

use crate::correct::Correction;
use crate::measure::Verdict;
use crate::measure::arrival::{Row, Table};
use crate::measure::session::Role;
use serde::{Deserialize, Serialize};

/// Which side of a pair a track is on, or of the stage its source is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[serde(rename_all = "lowercase")]
pub enum Side {
    /// Left.
    Left,
    /// Right.
    Right,
    /// In the middle.
    Centre,
    /// Not said.
    #[default]
    #[serde(rename = "")]
    None,
}

// By hand: what is derived knows no empty word.
#[cfg(feature = "openapi")]
impl utoipa::PartialSchema for Side {
    fn schema() -> utoipa::openapi::RefOr<utoipa::openapi::schema::Schema> {
        use utoipa::openapi::schema::{ObjectBuilder, Type};
        ObjectBuilder::new()
            .schema_type(Type::String)
            .description(Some(
                "Which side of a pair a track is on, or of the stage its source is; empty when not said.",
            ))
            .enum_values(Some(Self::WORDS.map(|w| w.1)))
            .into()
    }
}

#[cfg(feature = "openapi")]
impl utoipa::ToSchema for Side {}

impl Side {
    /// All of them, with the word each is stored and shown under.
    pub const WORDS: [(Self, &'static str); 4] =
        [(Self::Left, "left"), (Self::Right, "right"), (Self::Centre, "centre"), (Self::None, "")];

    /// The word for it; empty when not said.
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(s, _)| *s == self).map_or("", |(_, w)| w)
    }

    /// The side a word stands for; none for any other word.
    pub fn of_word(word: &str) -> Self {
        Self::WORDS.iter().find(|(_, w)| *w == word).map_or(Self::None, |(s, _)| *s)
    }
}

impl Policy {
    /// All of them, with the word each is stored and shown under.
    pub const WORDS: [(Self, &'static str); 4] = [
        (Self::Align, "align"),
        (Self::KeepDistance, "keep-distance"),
        (Self::BringIn, "bring-in"),
        (Self::Leave, "leave"),
    ];

    /// The word for it.
    pub fn word(self) -> &'static str {
        Self::WORDS.iter().find(|(p, _)| *p == self).map_or("", |(_, w)| w)
    }

    /// The policy a word stands for.
    pub fn of_word(word: &str) -> Option<Self> {
        Self::WORDS.iter().find(|(_, w)| *w == word).map(|(p, _)| *p)
    }
}

/// What is moved and what is left.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Policy {
    /// Aligned to the first microphone that hears its source, and turned over if opposed.
    Align,
    /// Polarity and faults only; the distance stays.
    KeepDistance,
    /// The whole set moves until the first source to reach it meets that source's own microphone.
    BringIn,
    /// Nothing is proposed but wiring and faults.
    Leave,
}

/// What is known of a track beside its sound.
#[derive(Debug, Clone, PartialEq)]
pub struct Track {
    /// How sentences call it.
    pub label: String,
    /// Where it was picked up.
    pub role: Role,
    /// What it stands at; empty when nobody knows.
    pub source: String,
    /// Side.
    pub side: Side,
    /// Policy somebody chose; none follows the role.
    pub policy: Option<Policy>,
    /// Tracks with the same number are one set.
    pub set: Option<usize>,
    /// What it carries now.
    pub correction: Correction,
    /// Keeps its polarity and its place when the others have to agree with it.
    pub anchor: bool,
    /// Its place came from a time stamp.
    pub stamped: bool,
}

/// What a finding is about.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "kebab-case")]
pub enum Kind {
    /// Wired the other way round.
    WiredInverted,
    /// On the opposite side of its source.
    OpposedByPlacement,
    /// In step at the lows and opposed above, or the reverse.
    PhaseTurns,
    /// Later than the sound.
    Late,
    /// Earlier than the sound.
    Early,
    /// Left and right have changed places.
    PairSwapped,
    /// Loses much in mono.
    WeakInMono,
    /// A group's microphones take each other's lows away.
    LowsLost,
    /// Has nothing to do with the rest.
    Unrelated,
    /// Nothing on it.
    Dead,
    /// Far quieter than the others.
    TooQuiet,
    /// Flat tops.
    Clipped,
    /// A constant voltage.
    DcOffset,
    /// Noise close under the sound.
    Noisy,
    /// One channel on both.
    CopiedChannel,
    /// The same recording again.
    SameRecording,
    /// Plays at the wrong speed.
    WrongRate,
    /// The stamp says one time, the sound another.
    StampDisagrees,
    /// Channels of a set end at different times.
    LengthsDiffer,
    /// Half of a pair is not there.
    ChannelMissing,
    /// Cannot be told.
    Undecided,
}

/// How bad.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Severity {
    /// Good to know.
    Info,
    /// Worth an ear.
    Caution,
    /// Wrong.
    Fault,
}

/// What one track would become. None leaves a value as it is.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Proposal {
    /// Track, by index.
    pub track: usize,
    /// New offset in frames.
    pub offset_frames: Option<f64>,
    /// New polarity.
    pub invert: Option<bool>,
    /// New side.
    pub side: Option<Side>,
}

/// What a proposal does to the sum of two tracks.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Effect {
    /// The track that changes, by index.
    pub track: usize,
    /// The other one.
    pub other: usize,
    /// Source it is heard on, as a row of the table.
    pub row: usize,
    /// Sum now against unrelated sounds, in dB.
    pub before_db: f64,
    /// Sum after.
    pub after_db: f64,
}

/// Something the engineer should know.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Finding {
    /// What.
    pub kind: Kind,
    /// Tracks it is about, by index; the one to change first.
    pub tracks: Vec<usize>,
    /// Row of the table it shows best on.
    pub row: Option<usize>,
    /// How bad.
    pub severity: Severity,
    /// How sure.
    pub verdict: Verdict,
    /// Moments it rests on.
    pub hits: usize,
    /// What it takes from the sum, in dB over all bands, above 0; none when it takes nothing from it.
    pub cost_db: Option<f64>,
    /// The same by third-octave, where the source sounds.
    pub cost_bands: Vec<Gain>,
    /// In a sentence or two.
    pub text: String,
    /// What would help or what to do.
    pub advice: String,
    /// What tracks would become.
    pub proposals: Vec<Proposal>,
    /// What that does to other sums.
    pub effects: Vec<Effect>,
}

/// Final advice for a track.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Advice {
    /// Role, guessed from the sound where nobody said.
    pub role: Role,
    /// Source.
    pub source: String,
    /// Side.
    pub side: Side,
    /// Policy in force.
    pub policy: Policy,
    /// Offset against the recorded place in frames.
    pub offset_frames: f64,
    /// Polarity against the recording.
    pub invert: bool,
    /// The fault found, in frames; 0 for none.
    pub latency_frames: f64,
    /// How sure.
    pub verdict: Verdict,
    /// Why it is moved or left.
    pub reason: String,
}

/// A source of the table.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct SourceOf {
    /// Name, from its microphones.
    pub name: String,
    /// Track whose hearing is the reference.
    pub home: usize,
    /// Side, as named or as pairs hear it.
    pub side: Side,
    /// Sign of the reference itself, as all microphones together have it: times a cell's sign it is that microphone's.
    pub sign: i8,
}

/// The answer.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Check {
    /// A track each.
    pub tracks: Vec<Advice>,
    /// A row each.
    pub sources: Vec<SourceOf>,
    /// Worst first.
    pub findings: Vec<Finding>,
    /// Pairs whose sides have changed places.
    pub swapped_pairs: Vec<[usize; 2]>,
    /// Where every pair hears every source.
    pub sides: Vec<PairSides>,
}

/// Everything the parts of a decision look at.
struct Case<'a> {
    /// The table with the tracks' corrections applied.
    table: &'a Table,
    tracks: &'a [Track],
    rate_hz: f64,
}

impl Case<'_> {
    fn ms(&self, frames: f64) -> f64 {
        frames * 1_000.0 / self.rate_hz
    }

    fn label(&self, track: usize) -> &str {
        &self.tracks[track].label
    }

    /// Rows at whose source a track stands.
    fn own_rows(&self, track: usize) -> impl Iterator<Item = usize> {
        self.table.rows.iter().enumerate().filter(move |(_, r)| r.members.contains(&track)).map(|(i, _)| i)
    }
}

/// Judges the session as corrected.
pub fn decide(table: &Table, tracks: &[Track]) -> Check {
    let corrected = as_corrected(table, tracks);
    let case = Case { table: &corrected, tracks, rate_hz: f64::from(table.rate_hz) };
    let polarity = polarity::judge(&case);
    let latency = latency::judge(&case);
    let sides = sides::judge(&case);
    let sources = sources(&case, &sides, &polarity);
    let advice = advice::advise(&case, &polarity, &latency, &sources);
    let mut findings = polarity::findings(&case, &polarity, &sources);
    findings.extend(latency::findings(&case, &latency));
    findings.extend(sides::findings(&case, &sides));
    findings.extend(plain::findings(&case));
    findings.extend(cost::group_findings(&case, &advice, &sources));
    // What is mended without a gain to the sum costs nothing there; it may matter all the same.
    for f in &mut findings {
        f.cost_db = f.cost_db.filter(|c| *c > 0.0);
    }
    findings.sort_by(|a, b| {
        let rank = |f: &Finding| (f.severity, f.verdict);
        rank(b).cmp(&rank(a)).then(b.cost_db.unwrap_or(0.0).total_cmp(&a.cost_db.unwrap_or(0.0)))
    });
    let heard = sides::heard(&case);
    Check { tracks: advice, sources, findings, swapped_pairs: sides.swapped, sides: heard }
}

/// The table as it would be measured with the corrections in place.
fn as_corrected(table: &Table, tracks: &[Track]) -> Table {
    let mut t = table.clone();
    for row in &mut t.rows {
        let home = tracks[row.home].correction;
        for (cell, track) in row.cells.iter_mut().zip(tracks) {
            let k = track.correction;
            if let Some(lag) = &mut cell.lag_frames {
                *lag += k.offset_frames - home.offset_frames;
            }
            if k.invert != home.invert {
                cell.sign = -cell.sign;
                cell.low_sign = -cell.low_sign;
                cell.bands.iter_mut().for_each(|b| (b.re, b.im) = (-b.re, -b.im));
                cell.wave.iter_mut().for_each(|w| *w = -*w);
            }
        }
    }
    for (shift, track) in t.shift.iter_mut().zip(tracks) {
        *shift += track.correction.offset_frames.round() as i64;
    }
    t
}

/// Names of the rows: what their microphones are called; a name that two rows claim carries its home's label.
fn sources(case: &Case, sides: &sides::Sides, polarity: &polarity::Judged) -> Vec<SourceOf> {
    let name = |row: &Row| {
        let named = std::iter::once(&row.home).chain(&row.members).map(|m| &case.tracks[*m].source);
        named.into_iter().find(|s| !s.is_empty()).cloned()
    };
    let names: Vec<Option<String>> = case.table.rows.iter().map(name).collect();
    case.table
        .rows
        .iter()
        .enumerate()
        .map(|(i, row)| SourceOf {
            name: match &names[i] {
                Some(n) if names.iter().filter(|o| o.as_ref() == Some(n)).count() == 1 => n.clone(),
                _ => case.label(row.home).to_string(),
            },
            home: row.home,
            side: sides.of_row(i),
            sign: polarity.row(i),
        })
        .collect()
}
