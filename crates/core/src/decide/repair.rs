//! Repair of one recording of several channels: what went wrong between its channels, and what is merely how it was recorded.

use super::Severity;
use crate::correct::{Correction, offset_for_lag};
use crate::measure::Verdict;
use crate::measure::image::layout::Place;
use crate::measure::image::{Between, Image};
use crate::measure::response::BandGain;
use serde::{Deserialize, Serialize};

/// Time differences under this are none, in frames: where both channels carry one sound, and in a recording of many.
const LEAST_FRAMES: f64 = 0.05;
const LEAST_OF_MANY: f64 = 0.2;
/// Level differences under this are none, in dB.
const LEAST_DB: f64 = 0.4;
/// Coherence that a lag of the whole recording has.
const SHARED: f64 = 0.2;
/// Part of all moments that a lag of the whole recording, rather than of one source in it, is found at.
const ONE_LAG: f64 = 0.85;
/// What two channels do not share once lag and level are taken out, in dB, when they carry one and the same sound.
const ONE_SOUND_DB: f64 = -20.0;
/// Balances this far apart, in dB, show sources at different places.
const MOVES_DB: f64 = 3.5;
/// Balance that stays within this, in dB, is that of the channels, not of what sounds.
const STAYS_DB: f64 = 0.5;
/// What is left of a copy, in dB.
const COPY_DB: f64 = -60.0;
/// Votes needed for a majority to speak, for all to speak as one, and for that to outweigh the lows; parts of them from which
/// they are clear and overwhelming.
const VOTES: usize = 10;
const UNANIMOUS: usize = 6;
const OUTWEIGH: usize = 8;
const MOST_OPPOSED: f64 = 0.75;
const ALL_OPPOSED: f64 = 0.85;
/// Correlation of the lows from which it speaks.
const LOWS_SPEAK: f64 = 0.2;
/// Lows are compared at one lag only: with more than this between the channels, in seconds, they prove nothing.
const LOWS_WITHIN_S: f64 = 0.000_8;
/// Channels this far under the loudest are not prominent, in dB.
const PROMINENT_DB: f64 = 12.0;

/// What a finding about channels says.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum ImageKind {
    /// One channel is turned over against the other.
    ChannelInverted,
    /// One channel is later by a constant time.
    ChannelLate,
    /// One channel is louder by a constant level.
    LevelDifference,
    /// Both channels carry the same.
    OneCopied,
    /// Two prominent channels stay opposed, and no inversion explains it.
    LastingOpposition,
    /// A channel without sound.
    Silent,
}

/// Something about channels.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct ImageFinding {
    /// What.
    pub kind: ImageKind,
    /// Channels, from 0.
    pub channels: Vec<usize>,
    /// How bad.
    pub severity: Severity,
    /// How sure.
    pub verdict: Verdict,
    /// In sentences.
    pub text: String,
    /// What to do; empty for nothing.
    pub advice: String,
}

/// Two channels, judged.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Judged {
    /// First channel, from 0.
    pub a: usize,
    /// Second channel.
    pub b: usize,
    /// Constant time by which the second is later, in frames; 0 for none.
    pub delay_frames: f64,
    /// The second is turned over against the first.
    pub invert: bool,
    /// How sure of both.
    pub verdict: Verdict,
    /// What it is and why, in sentences.
    pub text: String,
    /// What the sum of both keeps, by third-octave, now and as proposed.
    pub sum_gain: Vec<BandGain>,
}

/// What one channel is to carry besides what it carries.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Proposed {
    /// Nothing, where nothing is wrong.
    pub correction: Correction,
    /// How sure.
    pub verdict: Verdict,
}

/// What is to be done.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Repair {
    /// Every two channels, as in the image.
    pub pairs: Vec<Judged>,
    /// What each channel is to carry besides.
    pub channels: Vec<Proposed>,
    /// What was found, worst first.
    pub findings: Vec<ImageFinding>,
}

/// A recording's channels, by name for people.
pub struct Names<'a> {
    /// Places, when they are known.
    pub places: Option<&'a [Place]>,
}

impl Names<'_> {
    fn of(&self, c: usize, count: usize) -> String {
        match self.places.and_then(|p| p.get(c)) {
            Some(Place::Left) if count == 2 => "left".into(),
            Some(Place::Right) if count == 2 => "right".into(),
            Some(p) => p.short().into(),
            None => format!("channel {}", c + 1),
        }
    }
}

/// Judges an image.
pub fn repair(image: &Image, names: &Names) -> Repair {
    let n = image.channels.len();
    let name = |c: usize| names.of(c, n);
    let mut findings = Vec::new();
    for c in (0..n).filter(|c| image.channels[*c].rms_db.is_none()) {
        findings.push(ImageFinding {
            kind: ImageKind::Silent,
            channels: vec![c],
            severity: Severity::Caution,
            verdict: Verdict::Solid,
            text: format!("The channel “{}” holds no sound.", name(c)),
            advice: String::new(),
        });
    }
    // What makes the low effects out of the rest turns their phase: no sign can be told against them.
    let filtered = |c: usize| names.places.is_some_and(|p| p.get(c) == Some(&Place::Lfe));
    let sign = |p: &Between| {
        if filtered(p.a) || filtered(p.b) { (0, Verdict::Undecided) } else { sign_of(p, image.rate_hz) }
    };
    let signs: Vec<(i8, Verdict)> = image.pairs.iter().map(sign).collect();
    let turned = turned(image, &signs);
    let pairs: Vec<Judged> = image.pairs.iter().zip(&signs).map(|(p, s)| judge(p, *s, image, &name)).collect();
    let mut channels = vec![Proposed { correction: Correction::default(), verdict: Verdict::Solid }; n];
    for c in (0..n).filter(|c| turned[*c].is_some()) {
        let verdict = turned[c].unwrap_or(Verdict::Likely);
        channels[c].correction.invert = true;
        channels[c].verdict = verdict;
        let against = if n == 2 { name(1 - c) } else { "the others".into() };
        findings.push(ImageFinding {
            kind: ImageKind::ChannelInverted,
            channels: vec![c],
            severity: Severity::Fault,
            verdict,
            text: format!("“{}” is inverted against {against}. {}", name(c), why(image, c)),
            advice: format!("Invert “{}”.", name(c)),
        });
    }
    if let ([p], [j]) = (&image.pairs[..], &pairs[..]) {
        in_time(p, j, image, &name, &mut channels, &mut findings);
        in_level(p, j, &name, &mut channels, &mut findings);
    }
    opposed(image, &turned, &name, &mut findings);
    findings.sort_by_key(|f| (std::cmp::Reverse(f.severity), std::cmp::Reverse(f.verdict)));
    Repair { pairs, channels, findings }
}

/// Which way up the second stands to the first, and how sure: 0 where nothing tells.
fn sign_of(p: &Between, rate_hz: u32) -> (i8, Verdict) {
    let lag_s = p.pair.lag_frames.map(|l| l.abs() / f64::from(rate_hz));
    let low = p.low_correlation.filter(|_| lag_s.is_none_or(|l| l < LOWS_WITHIN_S));
    let lows = low.map_or(0, |c| if c.abs() < LOWS_SPEAK { 0 } else { c.signum() as i8 });
    let [votes, against] = p.votes;
    let part = against as f64 / votes.max(1) as f64;
    let (vote, all) = match () {
        () if votes < VOTES => (0, false),
        () if part >= MOST_OPPOSED => (-1, part >= ALL_OPPOSED),
        () if part <= 1.0 - MOST_OPPOSED => (1, part <= 1.0 - ALL_OPPOSED),
        () => (0, false),
    };
    let of_one_voice = votes >= UNANIMOUS && (against == 0 || against == votes);
    let voice = if against == 0 { 1 } else { -1 };
    let strong_lows = low.is_some_and(|c| c.abs() > 0.5);
    match (p.pair.verdict, p.pair.sign) {
        // One lag that everything shares: its sign, unless lows or strikes say otherwise.
        (Verdict::Solid, s) if p.one_lag >= ONE_LAG && lows != -s && vote != -s => (s, Verdict::Solid),
        (Verdict::Solid | Verdict::Likely, s) if lows != -s && vote != -s && (lows == s || vote == s) => {
            (s, if vote == s && lows == s && all { Verdict::Solid } else { Verdict::Likely })
        }
        // Every strike arrives that way, and so does the whole: then lows that say otherwise are the room's.
        (Verdict::Solid, s) if vote == s && all => (s, Verdict::Likely),
        _ if vote != 0 && lows == vote => (vote, if all { Verdict::Solid } else { Verdict::Likely }),
        _ if vote != 0 && lows == 0 && all => (vote, Verdict::Likely),
        (_, s) if of_one_voice && !strong_lows && (votes >= OUTWEIGH || lows == voice || s == voice) => {
            (voice, Verdict::Likely)
        }
        _ if vote == 0 && strong_lows => (lows, Verdict::Likely),
        _ => (0, Verdict::Undecided),
    }
}

/// Channels that are to be turned over, by all pairs at once, as few as possible; the first of two stays.
fn turned(image: &Image, signs: &[(i8, Verdict)]) -> Vec<Option<Verdict>> {
    let n = image.channels.len();
    let weight = |v: Verdict| match v {
        Verdict::Solid => 1.0,
        Verdict::Likely => 0.3,
        Verdict::Undecided => 0.0,
    };
    let agreement = |set: usize| -> f64 {
        let sign = |c: usize| if set >> c & 1 == 1 { -1.0 } else { 1.0 };
        let pairs = image.pairs.iter().zip(signs);
        pairs.map(|(p, (s, v))| f64::from(*s) * weight(*v) * sign(p.a) * sign(p.b)).sum()
    };
    // Turning all over changes nothing: the fewer are turned. Of two, the second.
    let rank = |set: usize| (set.count_ones(), std::cmp::Reverse(set.trailing_zeros()));
    let best = (0..1usize << n.min(16))
        .max_by(|a, b| agreement(*a).total_cmp(&agreement(*b)).then_with(|| rank(*b).cmp(&rank(*a))));
    let best = best.unwrap_or(0);
    (0..n)
        .map(|c| {
            let mine = || image.pairs.iter().zip(signs).filter(|(p, s)| (p.a == c || p.b == c) && s.0 != 0);
            (best >> c & 1 == 1).then(|| {
                // As sure as the surest of those that are not turned with it.
                let other = |p: &Between| best >> (p.a + p.b - c) & 1 == 0;
                mine().filter(|(p, s)| other(p) && s.0 < 0).map(|(_, s)| s.1).max().unwrap_or(Verdict::Likely)
            })
        })
        .collect()
}

/// What speaks for an inversion, in a sentence.
fn why(image: &Image, c: usize) -> String {
    let mine = image.pairs.iter().filter(|p| p.a == c || p.b == c);
    let against: Vec<&Between> = mine.filter(|p| p.votes[1] * 2 > p.votes[0] || p.pair.sign < 0).collect();
    let Some(p) = against.first() else { return String::new() };
    let lows = p.low_correlation.map_or(String::new(), |l| format!("correlation below 200 Hz is {}", signed(l, 2)));
    let strikes = if p.votes[0] >= VOTES {
        format!("{} of {} strikes arrive opposed", p.votes[1], p.votes[0])
    } else {
        String::new()
    };
    let said: Vec<String> = [strikes, lows].into_iter().filter(|s| !s.is_empty()).collect();
    let mut text = said.join(", ");
    if let Some(first) = text.get(..1) {
        text = format!("{}{}.", first.to_uppercase(), &text[1..]);
    }
    text
}

fn signed(v: f64, digits: usize) -> String {
    format!("{}{:.digits$}", if v < 0.0 { "−" } else { "+" }, v.abs())
}

/// Whatever sounds, the channels have one lag: microphones at one place, or one sound on both.
fn at_one_place(p: &Between) -> bool {
    p.votes[0] >= VOTES && p.one_lag >= ONE_LAG
}

/// A lag that is the channels' and not that of one source, and how sure.
fn delay(p: &Between) -> Option<(f64, Verdict)> {
    let lag = p.pair.lag_frames.filter(|l| l.abs() >= LEAST_FRAMES)?;
    if p.pair.coherence < SHARED || !at_one_place(p) {
        return None;
    }
    let left = p.pair.null_depth_db.unwrap_or(0.0);
    let one_sound = left < ONE_SOUND_DB || (left < ONE_SOUND_DB / 2.0 && p.pair.coherence > 0.9);
    // Sources at different places, and yet one lag: that is no distance.
    let many = p.places_spread_db >= MOVES_DB && p.votes[0] >= 2 * VOTES && lag.abs() >= LEAST_OF_MANY;
    match p.pair.verdict {
        Verdict::Solid if one_sound || many => Some((lag, Verdict::Solid)),
        Verdict::Likely if one_sound => Some((lag, Verdict::Likely)),
        _ => None,
    }
}

/// A constant time is taken out as the pair's own measurement has it. Turned over alone, the sum of a band becomes its
/// difference: both together are twice the energy of the two.
fn proposed_sum(p: &Between, in_time: bool, invert: bool) -> Vec<BandGain> {
    let after = |g: &BandGain| match (in_time, invert) {
        (true, _) => g.corrected_db,
        (false, true) => 10.0 * (2.0 - 10f64.powf(g.recorded_db / 10.0)).max(1e-6).log10(),
        (false, false) => g.recorded_db,
    };
    p.pair.sum_gain.iter().map(|g| BandGain { corrected_db: after(g), ..*g }).collect()
}

fn judge(p: &Between, sign: (i8, Verdict), image: &Image, name: &dyn Fn(usize) -> String) -> Judged {
    let silent = |c: usize| image.channels[c].rms_db.is_none();
    let quiet = p.correlation.is_none();
    let found = delay(p);
    let invert = sign.0 < 0 && sign.1 > Verdict::Undecided;
    let ms = |f: f64| f * 1_000.0 / f64::from(image.rate_hz);
    let text = if silent(p.a) || silent(p.b) || quiet {
        "no signal in both channels at once".to_string()
    } else if p.unshared_db < COPY_DB {
        "both channels carry the same sound".into()
    } else if let Some((lag, _)) = found {
        format!(
            "{} is {:.2} samples ({:.3} ms) later, whatever sounds; {}",
            name(if lag > 0.0 { p.b } else { p.a }),
            lag.abs(),
            ms(lag.abs()),
            p.pair.reason
        )
    } else if let Some(lag) = p.pair.lag_frames.filter(|l| l.abs() >= LEAST_FRAMES && at_one_place(p)) {
        format!(
            "{:.2} samples ({:.3} ms) between the channels, but of one source at one place: it may stand off the middle, so that \
             this is distance and no fault; it is left",
            lag.abs(),
            ms(lag.abs())
        )
    } else if p.pair.lag_frames.is_some_and(|l| l.abs() < LEAST_OF_MANY) {
        "no time between the channels".into()
    } else {
        "a wide recording: every source has a time of its own between the channels, as with microphones apart; it is left as it is"
            .into()
    };
    let text = if invert { format!("{} is turned over against {}; {text}", name(p.b), name(p.a)) } else { text };
    let dips = if !invert && p.opposed_part > 0.0 && p.opposed_part < 0.4 && p.longest_opposed_s < 3.0 {
        format!(
            ". Correlation dips below zero in {:.0} % of the time, never longer than {:.1} s: usual with strikes and with room, and fine",
            p.opposed_part * 100.0,
            p.longest_opposed_s
        )
    } else {
        String::new()
    };
    let verdict = match (&found, invert) {
        (Some((_, v)), true) => (*v).min(sign.1),
        (Some((_, v)), false) => *v,
        (None, _) if quiet => Verdict::Undecided,
        (None, _) => sign.1,
    };
    Judged {
        a: p.a,
        b: p.b,
        delay_frames: found.map_or(0.0, |f| f.0),
        invert,
        verdict,
        text: format!("{text}{dips}."),
        sum_gain: proposed_sum(p, found.is_some(), invert),
    }
}

/// The later channel is moved onto the earlier.
fn in_time(
    p: &Between,
    j: &Judged,
    image: &Image,
    name: &dyn Fn(usize) -> String,
    channels: &mut [Proposed],
    findings: &mut Vec<ImageFinding>,
) {
    let Some((lag, verdict)) = delay(p) else { return };
    let late = if lag > 0.0 { p.b } else { p.a };
    let offset = offset_for_lag(lag.abs());
    if offset == 0.0 {
        return;
    }
    channels[late].correction.offset_frames = offset;
    channels[late].verdict = channels[late].verdict.min(verdict);
    findings.push(ImageFinding {
        kind: ImageKind::ChannelLate,
        channels: vec![late],
        severity: Severity::Fault,
        verdict,
        text: format!("In time, {}", j.text),
        advice: format!(
            "Move “{}” by {} samples ({:.3} ms earlier).",
            name(late),
            signed(offset, 2),
            -offset * 1_000.0 / f64::from(image.rate_hz)
        ),
    });
}

/// The louder channel is brought down. Only where the difference is that of the channels.
fn in_level(
    p: &Between,
    j: &Judged,
    name: &dyn Fn(usize) -> String,
    channels: &mut [Proposed],
    findings: &mut Vec<ImageFinding>,
) {
    let Some(rms) = p.balance_db else { return };
    if p.unshared_db < COPY_DB && rms.abs() < 0.05 && !j.invert {
        findings.push(ImageFinding {
            kind: ImageKind::OneCopied,
            channels: vec![p.a, p.b],
            severity: Severity::Info,
            verdict: Verdict::Solid,
            text: "Both channels carry one and the same sound: it is mono.".into(),
            advice: String::new(),
        });
    }
    let balance = p.loudness_balance_db.unwrap_or(rms);
    if balance.abs() < LEAST_DB {
        return;
    }
    let constant = p.balance_spread_db < STAYS_DB;
    // With microphones apart the balance is how it was.
    let verdict = match (constant && (at_one_place(p) || p.unshared_db < ONE_SOUND_DB), at_one_place(p)) {
        (true, _) => Verdict::Solid,
        (false, true) => Verdict::Likely,
        _ => return,
    };
    let louder = if balance > 0.0 { p.b } else { p.a };
    let gain = -(balance.abs() * 100.0).round() / 100.0;
    // A balance that follows what sounds may be the music's: it is told, and left to the ears.
    if verdict == Verdict::Solid {
        channels[louder].correction.gain_db = gain;
    }
    findings.push(ImageFinding {
        kind: ImageKind::LevelDifference,
        channels: vec![louder],
        severity: Severity::Caution,
        verdict,
        text: format!(
            "“{}” is louder by {:.2} dB (loudness), {:.2} dB (RMS){}.",
            name(louder),
            balance.abs(),
            rms.abs(),
            if constant {
                ", by the same at every moment"
            } else {
                "; from moment to moment it changes with what sounds, so that ears should decide"
            }
        ),
        advice: format!(
            "{} “{}” down by {:.2} dB.",
            if verdict == Verdict::Solid { "Bring" } else { "If it sounds so, bring" },
            name(louder),
            gain.abs()
        ),
    });
}

/// Lasting opposition between channels that are both prominent, inversion taken into account.
fn opposed(
    image: &Image,
    turned: &[Option<Verdict>],
    name: &dyn Fn(usize) -> String,
    findings: &mut Vec<ImageFinding>,
) {
    let loudest = image.channels.iter().filter_map(|c| c.rms_db).fold(f64::NEG_INFINITY, f64::max);
    let prominent = |c: usize| image.channels[c].rms_db.is_some_and(|l| l > loudest - PROMINENT_DB);
    for p in &image.pairs {
        let lasting = p.correlation.is_some_and(|c| c < -0.3) && p.opposed_part > 0.7;
        let explained = turned[p.a].is_some() != turned[p.b].is_some();
        if lasting && !explained && prominent(p.a) && prominent(p.b) {
            findings.push(ImageFinding {
                kind: ImageKind::LastingOpposition,
                channels: vec![p.a, p.b],
                severity: Severity::Caution,
                verdict: Verdict::Likely,
                text: format!(
                    "“{}” and “{}” stay opposed: correlation {} over the whole, negative in {:.0} % of the time.",
                    name(p.a),
                    name(p.b),
                    signed(p.correlation.unwrap_or(0.0), 2),
                    p.opposed_part * 100.0
                ),
                advice: "Listen in mono: what both carry is lost there.".into(),
            });
        }
    }
}
