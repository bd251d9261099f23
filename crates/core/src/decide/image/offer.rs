//! Corrections proposed for differences of time and level between channels, and what is only reported.

use crate::decide::finding::{Change, Finding, To};
use crate::decide::image::judged::{Judged, Proposed, signed};
use crate::decide::image::pair::{COPY_DB, ONE_SOUND_DB, at_one_place, delay};
use crate::decide::kind::Kind;
use crate::edit::offset_for_lag;
use crate::measure::image::{Between, Image};
use crate::units::Offset;
use crate::verdict::Verdict;

/// Level differences smaller than this count as none, in dB.
const LEAST_DB: f64 = 0.4;
/// A balance that varies by less than this belongs to the channels and not to the music, in dB.
const STAYS_DB: f64 = 0.5;
/// Channels this far under the loudest are not prominent, in dB.
const PROMINENT_DB: f64 = 12.0;

/// What is offered so far.
pub struct Offers {
    /// What each channel is to carry besides.
    pub channels: Vec<Proposed>,
    /// What was found.
    pub findings: Vec<Finding>,
}

/// The later channel is moved onto the earlier.
pub fn in_time(p: &Between, j: &Judged, image: &Image, name: &dyn Fn(usize) -> String, offers: &mut Offers) {
    let Offers { channels, findings } = offers;
    let Some((lag, verdict)) = delay(p) else { return };
    let late = if lag > 0.0 { p.b } else { p.a };
    let offset = offset_for_lag(lag.abs());
    if offset == Offset::default() {
        return;
    }
    channels[late].correction.offset_frames = offset;
    channels[late].verdict = channels[late].verdict.min(verdict);
    let advice = format!(
        "Move “{}” by {} samples ({:.3} ms earlier).",
        name(late),
        signed(offset.0, 2),
        -offset.0 * 1_000.0 / f64::from(image.rate_hz)
    );
    findings.push(
        Finding::of_channels(Kind::ChannelLate, [late], format!("In time, {}", j.text))
            .verdict(verdict)
            .advice(advice)
            .changes(vec![Change { of: late, to: To::Offset(offset) }], Vec::new()),
    );
}

/// The louder channel is brought down, if the difference belongs to the channels.
pub fn in_level(p: &Between, j: &Judged, name: &dyn Fn(usize) -> String, offers: &mut Offers) {
    let Offers { channels, findings } = offers;
    let Some(rms) = p.balance_db else { return };
    if p.unshared_db < COPY_DB && rms.abs() < 0.05 && !j.invert {
        let text = "Both channels carry one and the same sound: it is mono.";
        findings.push(Finding::of_channels(Kind::OneCopied, [p.a, p.b], text));
    }
    let balance = p.loudness_balance_db.unwrap_or(rms);
    if balance.abs() < LEAST_DB {
        return;
    }
    let constant = p.balance_spread_db < STAYS_DB;
    // With spaced microphones the balance is part of the recording.
    let verdict = match (constant && (at_one_place(p) || p.unshared_db < ONE_SOUND_DB), at_one_place(p)) {
        (true, _) => Verdict::Solid,
        (false, true) => Verdict::Likely,
        _ => return,
    };
    let louder = if balance > 0.0 { p.b } else { p.a };
    let gain = -(balance.abs() * 100.0).round() / 100.0;
    // A balance that changes with the music may be intended: it is reported and left to the ears.
    if verdict == Verdict::Solid {
        channels[louder].correction.gain_db = gain;
    }
    let text = format!(
        "“{}” is louder by {:.2} dB (loudness), {:.2} dB (RMS){}.",
        name(louder),
        balance.abs(),
        rms.abs(),
        if constant {
            ", by the same at every moment"
        } else {
            "; from moment to moment it changes with what sounds, so that ears should decide"
        }
    );
    let bring = if verdict == Verdict::Solid { "Bring" } else { "If it sounds so, bring" };
    let changes = (verdict == Verdict::Solid).then_some(Change { of: louder, to: To::Gain(gain) });
    findings.push(
        Finding::of_channels(Kind::LevelDifference, [louder], text)
            .verdict(verdict)
            .advice(format!("{bring} “{}” down by {:.2} dB.", name(louder), gain.abs()))
            .changes(changes.into_iter().collect(), Vec::new()),
    );
}

/// Lasting opposition between two prominent channels that no inversion explains.
pub fn opposed(
    image: &Image,
    inverted: &[Option<Verdict>],
    name: &dyn Fn(usize) -> String,
    findings: &mut Vec<Finding>,
) {
    let loudest = image.channels.iter().filter_map(|c| c.rms_db).fold(f64::NEG_INFINITY, f64::max);
    let prominent = |c: usize| image.channels[c].rms_db.is_some_and(|l| l > loudest - PROMINENT_DB);
    for p in &image.pairs {
        let lasting = p.correlation.is_some_and(|c| c < -0.3) && p.opposed_part > 0.7;
        let explained = inverted[p.a].is_some() != inverted[p.b].is_some();
        if lasting && !explained && prominent(p.a) && prominent(p.b) {
            let text = format!(
                "“{}” and “{}” stay opposed: correlation {} over the whole, negative in {:.0} % of the time.",
                name(p.a),
                name(p.b),
                signed(p.correlation.unwrap_or(0.0), 2),
                p.opposed_part * 100.0
            );
            findings.push(
                Finding::of_channels(Kind::LastingOpposition, [p.a, p.b], text)
                    .verdict(Verdict::Likely)
                    .advice("Listen in mono: what both carry is lost there."),
            );
        }
    }
}
