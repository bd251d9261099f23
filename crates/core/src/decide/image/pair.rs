//! Two channels of one recording: is a lag between them constant, or that of single sources?

use crate::decide::image::judged::Judged;
use crate::decide::image::sign::{ONE_LAG, VOTES};
use crate::measure::image::{Between, Image};
use crate::measure::pair::response::BandGain;
use crate::units::db_of_power;
use crate::verdict::Verdict;

/// Lags smaller than this count as none, in frames: when both channels carry one sound, and in a recording of many sources.
const LEAST_FRAMES: f64 = 0.05;
const LEAST_OF_MANY: f64 = 0.2;
/// Least coherence of a lag that belongs to the whole recording.
const SHARED: f64 = 0.2;
/// What is left of two channels that carry one sound, once lag and level are taken out, in dB.
pub const ONE_SOUND_DB: f64 = -20.0;
/// Balances of sources that differ by this show different places, in dB.
const MOVES_DB: f64 = 3.5;
/// What is left when one channel is a copy of the other, in dB.
pub const COPY_DB: f64 = -60.0;

/// The channels have the same lag for everything that sounds: microphones at one place, or one sound on both.
pub fn at_one_place(p: &Between) -> bool {
    p.votes[0] >= VOTES && p.one_lag >= ONE_LAG
}

/// The lag between the channels themselves, if it is not that of one source, and how sure.
pub fn delay(p: &Between) -> Option<(f64, Verdict)> {
    let lag = p.pair.lag_frames.filter(|l| l.abs() >= LEAST_FRAMES)?;
    if p.pair.coherence < SHARED || !at_one_place(p) {
        return None;
    }
    let left = p.pair.null_depth_db.unwrap_or(0.0);
    let one_sound = left < ONE_SOUND_DB || (left < ONE_SOUND_DB / 2.0 && p.pair.coherence > 0.9);
    // Sources at different places share one lag: it is no distance.
    let many = p.places_spread_db >= MOVES_DB && p.votes[0] >= 2 * VOTES && lag.abs() >= LEAST_OF_MANY;
    match p.pair.verdict {
        Verdict::Solid if one_sound || many => Some((lag, Verdict::Solid)),
        Verdict::Likely if one_sound => Some((lag, Verdict::Likely)),
        _ => None,
    }
}

/// The sum by band after the proposal. A lag is taken out as the pair's measurement computed it. With one channel inverted the sum of a
/// band becomes its difference, and sum and difference together are twice the energy of the two.
fn proposed_sum(p: &Between, in_time: bool, invert: bool) -> Vec<BandGain> {
    let after = |g: &BandGain| match (in_time, invert) {
        (true, _) => g.corrected_db,
        (false, true) => db_of_power((2.0 - 10f64.powf(g.recorded_db / 10.0)).max(1e-6)),
        (false, false) => g.recorded_db,
    };
    p.pair.sum_gain.iter().map(|g| BandGain { corrected_db: after(g), ..*g }).collect()
}

pub fn judge(p: &Between, sign: (i8, Verdict), image: &Image, name: &dyn Fn(usize) -> String) -> Judged {
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
    let text = if invert { format!("{} is inverted against {}; {text}", name(p.b), name(p.a)) } else { text };
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
