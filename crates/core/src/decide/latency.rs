//! Tells a latency from a distance, by the places of all sources and microphones.

use crate::decide::case::Case;
use crate::decide::cost::{cost_of, effects_of};
use crate::decide::finding::{Change, Finding, To};
use crate::decide::halves;
use crate::decide::kind::{Kind, Severity};
use crate::decide::sides;
use crate::decide::words::other_takes;
use crate::edit::offset_for_lag;
use crate::measure::arrival::{Late, OWN_COHERENCE, Table};
use crate::measure::stage::Fact;
use crate::verdict::Verdict;

/// Smaller than this is no latency, in seconds: places are known no better.
const LEAST_S: f64 = 0.000_8;
/// Worth (twice a log likelihood) from which a latency is reported: when no other source reaches the microphone clearly, and when
/// some do; and from which it is solid. In four hundred simulated sessions microphones on time stayed below.
const WORTH_FAINT: f64 = 12.0;
const WORTH_CLEAR: f64 = 10.0;
const WORTH_SOLID: f64 = 36.0;
/// The same when another microphone at the same source confirms it.
const WORTH_BESIDE: f64 = 9.0;
/// Two microphones at one source are seldom further apart than this: 70 cm of air, in seconds.
const BESIDE_S: f64 = 0.002;
/// How well the two microphones must agree with the places, in seconds: distances at one source differ by as much.
const BESIDE_OFF_S: f64 = 0.001_5;
/// A difference from the neighbour's answer that counts against the latency, in seconds.
const AGAINST_S: f64 = 0.003;
/// Two microphones at one source seldom stand this far apart: a metre of air, in seconds.
const FAR_BESIDE_S: f64 = 0.003;
/// Sources that must reach a microphone clearly to help, and for a solid answer.
const SOME_CLEAR: usize = 2;
const MOST_CLEAR: usize = 3;
/// A latency is reported when it is at least so many times its standard deviation.
const SIGMAS: f64 = 4.0;
/// With a larger standard deviation than this, in seconds, nothing is moved.
const MOST_SIGMA_S: f64 = 0.000_5;
/// A solid latency has at most this as twice its standard deviation, in seconds.
const SOLID_WITHIN_S: f64 = 0.000_4;

/// One microphone.
#[derive(Debug, Clone, Copy, Default)]
struct Mic {
    /// Later than the sound as corrected, in frames.
    frames: f64,
    sigma_frames: f64,
    sources: usize,
    verdict: Option<Verdict>,
    /// The neighbour at the same source that hears it first, when nothing else is known.
    after: Option<usize>,
    /// Told against the other half of its pair.
    half: bool,
}

/// Latency of every microphone.
pub struct Judged {
    mics: Vec<Mic>,
}

impl Judged {
    /// Latency in frames; 0 for none.
    pub fn of(&self, m: usize) -> f64 {
        self.mics[m].verdict.filter(|v| *v > Verdict::Undecided).map_or(0.0, |_| self.mics[m].frames)
    }

    /// Twice the standard deviation of it, in frames; 0 for none.
    pub fn within(&self, m: usize) -> f64 {
        if self.of(m) == 0.0 { 0.0 } else { 2.0 * self.mics[m].sigma_frames }
    }

    /// How sure; solid where nothing is late.
    pub fn verdict(&self, m: usize) -> Verdict {
        self.mics[m].verdict.unwrap_or(Verdict::Solid)
    }
}

/// Judges all microphones. Only what was late as recorded is a fault; a track that somebody moved is where it was put.
pub fn judge(case: &Case, recorded: &Table) -> Judged {
    let mut mics: Vec<Mic> = case
        .table
        .late
        .iter()
        .zip(case.tracks)
        .enumerate()
        .map(|(m, (late, track))| {
            let Some(late) = late else { return Mic::default() };
            if let Some((frames, home)) = after_its_neighbour(case, m, late) {
                return Mic {
                    frames,
                    sources: 1,
                    verdict: Some(Verdict::Undecided),
                    after: Some(home),
                    ..Mic::default()
                };
            }
            let frames = late.frames + track.edit.placement.offset_frames.0;
            let left = frames.abs() > LEAST_S * case.rate_hz;
            Mic {
                frames,
                sigma_frames: late.sigma_frames,
                sources: late.sources,
                verdict: weigh(late, case.rate_hz).filter(|_| left),
                after: None,
                half: false,
            }
        })
        .collect();
    for half in halves::judge(case, recorded, &sides::pairs(case)) {
        let frames = half.frames + case.tracks[half.track].edit.placement.offset_frames.0;
        let verdict = (frames.abs() > LEAST_S * case.rate_hz).then_some(Verdict::Likely);
        let (sigma_frames, sources) = (half.sigma_frames, half.sources);
        mics[half.track] = Mic { frames, sigma_frames, sources, verdict, after: None, half: true };
    }
    Judged { mics }
}

/// The lag of a microphone behind another one at the same source, and that one, when the lag is a metre or more both as recorded and
/// as corrected and no other source reaches the microphone clearly: it is late or further away, and nothing tells which.
fn after_its_neighbour(case: &Case, m: usize, late: &Late) -> Option<(f64, usize)> {
    let row = case.own_rows(m).map(|i| &case.table.rows[i]).find(|r| r.home != m)?;
    let cell = &row.cells[m];
    let clear = cell.verdict == Verdict::Solid && cell.coherence >= OWN_COHERENCE;
    let take = other_takes(&case.tracks[m].source, &case.tracks[row.home].source);
    let moved = |m: usize| case.tracks[m].edit.placement.offset_frames.0;
    let far = |lag: f64| lag > FAR_BESIDE_S * case.rate_hz;
    let untold = late.frames == 0.0 && late.sources <= 1;
    let lag = cell.lag_frames.filter(|lag| far(*lag) && far(lag - moved(m) + moved(row.home)))?;
    (untold && clear && !take).then_some((lag, row.home))
}

fn weigh(late: &Late, rate_hz: f64) -> Option<Verdict> {
    let beside = late
        .beside_frames
        .is_some_and(|b| b.abs() > BESIDE_S * rate_hz && (b - late.frames).abs() < BESIDE_OFF_S * rate_hz);
    let needed = match late.clear {
        _ if beside => WORTH_BESIDE,
        SOME_CLEAR.. => WORTH_CLEAR,
        _ => WORTH_FAINT,
    };
    let told = late.worth > needed && late.frames.abs() > (LEAST_S * rate_hz).max(SIGMAS * late.sigma_frames);
    let solid =
        late.worth > WORTH_SOLID && late.clear >= MOST_CLEAR && 2.0 * late.sigma_frames < SOLID_WITHIN_S * rate_hz;
    // Not enough: a single source that may have come by a wall, a large standard deviation, or a neighbour that contradicts it.
    let against = late.beside_frames.is_some_and(|b| (b - late.frames).abs() > AGAINST_S * rate_hz);
    let vague = (late.sources < 2 && late.clear == 0) || late.sigma_frames > MOST_SIGMA_S * rate_hz || against;
    match (told, solid) {
        (true, _) if vague => (late.frames > 0.0).then_some(Verdict::Undecided),
        (true, true) => Some(Verdict::Solid),
        // Being early is rare, so it takes more evidence.
        (true, false) if late.frames > 0.0 => Some(Verdict::Likely),
        _ => None,
    }
}

/// Findings about latency.
pub fn findings(case: &Case, judged: &Judged) -> Vec<Finding> {
    let mut found = Vec::new();
    for (m, mic) in judged.mics.iter().enumerate() {
        let Some(verdict) = mic.verdict else { continue };
        if verdict == Verdict::Undecided {
            found.push(vague(case, m, mic));
            continue;
        }
        let kind = if mic.frames > 0.0 { Kind::Late } else { Kind::Early };
        let moved = offset_for_lag(mic.frames);
        let changes = vec![Change { of: m, to: To::Offset(case.tracks[m].edit.placement.offset_frames + moved) }];
        let cost = cost_of(case, m, &changes);
        let effects = effects_of(case, &changes);
        let why = if mic.half { "no place beside the other half of its pair" } else { "no place in the room" };
        let text = format!(
            "{} is {:.2} ms ({:.0} samples) {} by a fault, not by distance: {why} explains the arrivals of {} sources in it \
             without that, give or take {:.2} ms.{}",
            case.label(m),
            case.ms(mic.frames.abs()),
            mic.frames.abs(),
            if mic.frames > 0.0 { "late" } else { "early" },
            mic.sources,
            case.ms(2.0 * mic.sigma_frames),
            typed(case),
        );
        let way = if moved.0 < 0.0 { "earlier" } else { "later" };
        found.push(
            Finding::of_tracks(kind, [m], text)
                .shown_on(case.own_rows(m).next())
                .verdict(verdict)
                .hits(mic.sources)
                .advice(format!("Move it {way} by {:.2} ms.", case.ms(moved.0.abs())))
                .cost(cost.as_ref().map(|c| c.total_db), cost.map(|c| c.bands).unwrap_or_default())
                .changes(changes, effects),
        );
    }
    found
}

/// Typed facts named one by one; more are counted.
const NAMED: usize = 3;

/// What was typed of the room, as a sentence: places, and so latencies, rest on it. Nothing where nothing was typed.
fn typed(case: &Case) -> String {
    let facts = case.table.places.as_ref().map_or(&[][..], |p| &p.facts);
    let one = |fact: &Fact| match *fact {
        Fact::FromSource { of, metres } => format!("{} {metres:.2} m from its source", case.label(of)),
        Fact::Apart { of, to, metres } => format!("{} and {} {metres:.2} m apart", case.label(of), case.label(to)),
        Fact::Stands { of, .. } => format!("where {} stands", case.label(of)),
    };
    match facts.len() {
        0 => String::new(),
        1..=NAMED => {
            format!(" This rests on what was typed: {}.", facts.iter().map(one).collect::<Vec<_>>().join(", "))
        }
        n => format!(" This rests on the {n} distances and places that were typed."),
    }
}

/// Probably late, but the amount is not known well enough to move it.
fn vague(case: &Case, m: usize, mic: &Mic) -> Finding {
    let text = match mic.after {
        Some(home) => format!(
            "{} hears its source {:.1} ms after {}. Either it stands {:.1} m further away, or it is late by a fault; nothing of \
             the others reaches it clearly enough to tell.",
            case.label(m),
            case.ms(mic.frames),
            case.label(home),
            case.metres(mic.frames),
        ),
        None => format!(
            "{} may be late by a fault, by some {:.1} ms: what reaches it of other sources explains no place in the room, but is \
             too little to say by how much.",
            case.label(m),
            case.ms(mic.frames),
        ),
    };
    Finding::of_tracks(Kind::Late, [m], text)
        .shown_on(case.own_rows(m).next())
        .severity(Severity::Caution)
        .verdict(Verdict::Undecided)
        .hits(mic.sources)
        .advice("A hit of another player alone, or a clap between two microphones, would tell.")
}
