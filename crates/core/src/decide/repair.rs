//! Repair of one recording of several channels: what went wrong between its channels, and what is merely how it was recorded.

mod offer;
mod pair;
mod sign;

use super::Severity;
use crate::correct::Correction;
use crate::measure::Verdict;
use crate::measure::image::layout::Place;
use crate::measure::image::{Between, Image};
use crate::measure::response::BandGain;
use offer::{in_level, in_time, opposed};
use pair::judge;
use serde::{Deserialize, Serialize};
use sign::{sign_of, turned, why};

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

/// With its sign, always.
fn signed(v: f64, digits: usize) -> String {
    format!("{}{:.digits$}", if v < 0.0 { "−" } else { "+" }, v.abs())
}
