//! Repair of one recording of several channels: what went wrong between its channels, and what is merely how it was recorded.

pub mod judged;
mod offer;
mod pair;
mod sign;

use crate::decide::finding::{Change, Finding, To};
use crate::decide::image::judged::{Judged, Names, Proposed};
use crate::decide::image::offer::{Offers, in_level, in_time, opposed};
use crate::decide::image::pair::judge;
use crate::decide::image::sign::{inverted, sign_of, why};
use crate::decide::kind::Kind;
use crate::edit::Correction;
use crate::measure::image::layout::Place;
use crate::measure::image::{Between, Image};
use crate::verdict::Verdict;
use serde::{Deserialize, Serialize};

/// What is to be done.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Repair {
    /// Every two channels, as in the image.
    pub pairs: Vec<Judged>,
    /// What each channel is to carry besides.
    pub channels: Vec<Proposed>,
    /// What was found, worst first.
    pub findings: Vec<Finding>,
}

/// Judges an image.
pub fn repair(image: &Image, names: &Names) -> Repair {
    let n = image.channels.len();
    let name = |c: usize| names.of(c, n);
    let mut findings = Vec::new();
    for c in (0..n).filter(|c| image.channels[*c].rms_db.is_none()) {
        let text = format!("The channel “{}” holds no sound.", name(c));
        findings.push(Finding::of_channels(Kind::Silent, [c], text));
    }
    // What makes the low effects out of the rest turns their phase: no sign can be told against them.
    let filtered = |c: usize| names.places.is_some_and(|p| p.get(c) == Some(&Place::Lfe));
    let sign = |p: &Between| {
        if filtered(p.a) || filtered(p.b) { (0, Verdict::Undecided) } else { sign_of(p, image.rate_hz) }
    };
    let signs: Vec<(i8, Verdict)> = image.pairs.iter().map(sign).collect();
    let inverted = inverted(image, &signs);
    let pairs: Vec<Judged> = image.pairs.iter().zip(&signs).map(|(p, s)| judge(p, *s, image, &name)).collect();
    let mut channels = vec![Proposed { correction: Correction::default(), verdict: Verdict::Solid }; n];
    for c in (0..n).filter(|c| inverted[*c].is_some()) {
        let verdict = inverted[c].unwrap_or(Verdict::Likely);
        channels[c].correction.invert = true;
        channels[c].verdict = verdict;
        let against = if n == 2 { name(1 - c) } else { "the others".into() };
        let text = format!("“{}” is inverted against {against}. {}", name(c), why(image, c));
        findings.push(
            Finding::of_channels(Kind::ChannelInverted, [c], text)
                .verdict(verdict)
                .advice(format!("Invert “{}”.", name(c)))
                .changes(vec![Change { of: c, to: To::Inverted(true) }], Vec::new()),
        );
    }
    let mut offers = Offers { channels, findings };
    if let ([p], [j]) = (&image.pairs[..], &pairs[..]) {
        in_time(p, j, image, &name, &mut offers);
        in_level(p, j, &name, &mut offers);
    }
    let Offers { channels, mut findings } = offers;
    opposed(image, &inverted, &name, &mut findings);
    findings.sort_by_key(|f| (std::cmp::Reverse(f.severity), std::cmp::Reverse(f.verdict)));
    Repair { pairs, channels, findings }
}
