//! What an edit compiles into: stretches of the session, each with the part of the recording that plays there.

use super::correction::Correction;
use super::map::TimeMap;
use super::stretch::Stretch;

/// Time over which a stretch takes over from the rest, and gives back to it, in seconds.
pub const SEAM_S: f64 = 0.005;

/// A part of a frame smaller than this is none.
const NO_FRACTION: f64 = 1e-9;

/// How the recording is read in a piece.
#[derive(Debug, Clone, Copy, PartialEq)]
pub enum Reading {
    /// At its own speed. `shift` is the session frame less the recording frame, rounded down, and `fraction` what it is more.
    Rigid {
        /// Whole frames.
        shift: i64,
        /// 0 … 1 of a frame later.
        fraction: f64,
    },
    /// At another speed.
    Varying {
        /// Session frame that `own` is told for.
        session: f64,
        /// Frame of the recording that plays there.
        own: f64,
        /// Frames of the recording a session frame.
        rate: f64,
    },
}

/// Where a piece rises over what lies below it, and falls back to it.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Fades {
    /// Session frame at which it begins to rise.
    pub from: i64,
    /// Frames it rises for; 0 for at once.
    pub rise: i64,
    /// Session frame at which it has fallen.
    pub to: i64,
    /// Frames it falls for.
    pub fall: i64,
}

/// One stretch of the session and what plays in it.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Piece {
    /// First session frame; the least there is for one that begins with the recording, wherever that is.
    pub from: i64,
    /// Session frame after the last.
    pub to: i64,
    /// What is read.
    pub reading: Reading,
    /// Factor on the samples, sign included.
    pub factor: f32,
    /// How it comes and goes; none for at once.
    pub fades: Option<Fades>,
}

/// All pieces of a track: each takes over from those before it where they overlap. What the recording itself gives comes in
/// order of the session, and after each such piece the stretches that take over from it, in their order.
#[derive(Debug, Clone, PartialEq)]
pub struct Pieces(pub Vec<Piece>);

impl Pieces {
    /// The recording in one piece, and what takes over from it; none where it was taken apart.
    pub fn whole(&self) -> Option<(&Piece, &[Piece])> {
        self.0.split_first().filter(|(first, _)| first.from == i64::MIN && first.to == i64::MAX)
    }
}

impl Reading {
    /// Its fraction of a frame, where it has one that counts.
    pub fn fraction(&self) -> Option<f64> {
        match self {
            Self::Rigid { fraction, .. } if *fraction > NO_FRACTION => Some(*fraction),
            _ => None,
        }
    }
}

impl Piece {
    /// The frame of the recording that plays at a session frame, fractional.
    pub fn own_frame(&self, session_frame: i64) -> f64 {
        match self.reading {
            Reading::Rigid { shift, fraction } => session_frame.saturating_sub(shift) as f64 - fraction,
            Reading::Varying { session, own, rate } => own + rate * (session_frame as f64 - session),
        }
    }

    /// The session frame at which a frame of the recording plays, fractional.
    pub fn session_frame(&self, own_frame: i64) -> f64 {
        match self.reading {
            Reading::Rigid { shift, fraction } => own_frame.saturating_add(shift) as f64 + fraction,
            Reading::Varying { session, own, rate } => session + (own_frame as f64 - own) / rate,
        }
    }

    /// The same as a whole frame: what is read for a rigid piece but for its fraction.
    pub fn whole_own_frame(&self, session_frame: i64) -> i64 {
        match self.reading {
            Reading::Rigid { shift, .. } => session_frame.saturating_sub(shift),
            Reading::Varying { .. } => self.own_frame(session_frame).round() as i64,
        }
    }

    /// Session frame from which on a frame of the recording plays, by this piece's reading.
    pub(super) fn edge(&self, own: i64) -> i64 {
        match self.reading {
            Reading::Rigid { shift, .. } => own.saturating_add(shift),
            Reading::Varying { .. } => self.session_frame(own).ceil() as i64,
        }
    }

    /// From where to where it plays some frames of the recording; none where it does not.
    pub fn session_range(&self, from: i64, to: i64) -> Option<[i64; 2]> {
        let range = [self.edge(from).max(self.from), self.edge(to).min(self.to)];
        (range[0] < range[1]).then_some(range)
    }

    /// How much of it is heard at a session frame inside it, 0 … 1.
    pub fn weight(&self, session_frame: i64) -> f32 {
        let Some(f) = self.fades else { return 1.0 };
        // Half a cosine: the corners of a straight fade are heard as clicks when it is short.
        let part = |frames: i64, of: i64| match frames as f32 / of as f32 {
            _ if frames >= of => 1.0,
            share => 0.5 - 0.5 * (std::f32::consts::PI * share).cos(),
        };
        part(session_frame - f.from + 1, f.rise).min(part(f.to - session_frame, f.fall))
    }

    /// Does it sound at its full weight over all of a range inside it?
    pub fn is_full(&self, from: i64, to: i64) -> bool {
        self.fades.is_none_or(|f| from - f.from + 1 >= f.rise && f.to - (to - 1) >= f.fall)
    }
}

/// What a rigid piece was put together from, so that a stretch inside adds its own offset before anything is rounded.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Whole {
    /// Session frame less recording frame without what the track is moved by.
    pub start: i64,
    /// What it is moved by, in frames.
    pub moved: f64,
}

/// The whole recording in one piece.
pub(super) fn rigid(start: i64, carried: Correction) -> (Piece, Whole) {
    let moved = carried.offset_frames.0;
    let reading = Reading::Rigid { shift: start.saturating_add(moved.floor() as i64), fraction: moved - moved.floor() };
    (Piece { from: i64::MIN, to: i64::MAX, reading, factor: carried.factor(), fades: None }, Whole { start, moved })
}

/// A piece for every straight line of a map.
pub(super) fn varying(map: &TimeMap, start: i64, carried: Correction) -> Vec<(Piece, Whole)> {
    let at = |p: [f64; 2]| p[1] + start as f64 + carried.offset_frames.0;
    let lines = map.points().windows(2);
    let last = lines.len() - 1;
    lines
        .enumerate()
        .map(|(i, p)| {
            let reading =
                Reading::Varying { session: at(p[0]), own: p[0][0], rate: (p[1][0] - p[0][0]) / (p[1][1] - p[0][1]) };
            let from = if i == 0 { i64::MIN } else { at(p[0]).ceil() as i64 };
            let to = if i == last { i64::MAX } else { at(p[1]).ceil() as i64 };
            (Piece { from, to, reading, factor: carried.factor(), fades: None }, Whole { start, moved: 0.0 })
        })
        .collect()
}

/// What a stretch carries besides, over a piece of the recording; none where the piece holds nothing of it.
pub(super) fn over(base: &(Piece, Whole), stretch: &Stretch, carried: Correction, fade: i64) -> Option<Piece> {
    let (below, whole) = base;
    let all = carried.and(&stretch.besides);
    // Where the stretch begins and ends as the piece below has it, so that its own offset moves what sounds, not where.
    let (begin, end) = (below.edge(stretch.from.0), below.edge(stretch.to.0));
    let [from, to] = below.session_range(stretch.from.0, stretch.to.0)?;
    let reading = match below.reading {
        Reading::Rigid { .. } => {
            let moved = whole.moved + stretch.besides.offset_frames.0;
            Reading::Rigid { shift: whole.start.saturating_add(moved.floor() as i64), fraction: moved - moved.floor() }
        }
        Reading::Varying { session, own, rate } => {
            Reading::Varying { session: session + stretch.besides.offset_frames.0, own, rate }
        }
    };
    let fades = Some(Fades { from: begin, rise: fade, to: end, fall: fade });
    Some(Piece { from, to, reading, factor: all.factor(), fades })
}
