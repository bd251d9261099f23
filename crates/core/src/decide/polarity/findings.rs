//! Findings about polarity.

use super::judged::{Judged, Mic};
use super::shared::{Part, likeness, turns_at_hz};
use super::turning::Turning;
use crate::decide::case::{Case, Polarity, SourceOf};
use crate::decide::cost::{cost_of, effects_of};
use crate::decide::finding::{Change, Finding, To};
use crate::decide::kind::Kind;
use crate::units::db_of_power;
use crate::verdict::Verdict;

/// Findings about polarity.
pub fn findings(case: &Case, judged: &Judged, sources: &[SourceOf]) -> Vec<Finding> {
    let each = judged.mics.iter().enumerate();
    each.flat_map(|(m, mic)| [phase_turns(case, m, mic, sources), opposed(case, m, mic, sources)]).flatten().collect()
}

/// Where the phase of a microphone turns, in Hz: told by another one at its own source.
fn turns_at(case: &Case, mic: &Mic, m: usize) -> Option<f64> {
    let row = &case.table.rows[mic.own?];
    let other = match mic.turning? {
        Turning::Beside(other) => other,
        Turning::Likely => row.home,
    };
    turns_at_hz(row, (other != m).then_some([m, other])?)
}

/// What the polarity of a track is made of.
pub fn made_of(case: &Case, judged: &Judged, m: usize) -> Polarity {
    let mic = &judged.mics[m];
    Polarity {
        wired_inverted: judged.wired(m),
        wiring: mic.wiring.map(|v| if mic.turning.is_some() { Verdict::Undecided } else { v }),
        sums_better_inverted: judged.inverted(m),
        sums: mic.verdict,
        phase_turns_hz: turns_at(case, mic, m),
    }
}

/// Lows and attacks do not arrive alike.
fn phase_turns(case: &Case, m: usize, mic: &Mic, sources: &[SourceOf]) -> Option<Finding> {
    let turning = mic.turning?;
    let i = mic.own?;
    let row = &case.table.rows[i];
    let name = case.label(m);
    let (other, verdict) = match turning {
        Turning::Beside(other) => (other, Verdict::Solid),
        Turning::Likely => (row.home, Verdict::Likely),
    };
    let way = |sign: i8| if sign < 0 { "inverted" } else { "upright" };
    let mut text = format!(
        "The phase of {name} turns with frequency: attacks arrive {}, the lows {}. Whether it is wired inverted cannot be told.",
        way(mic.attack),
        way(-mic.attack)
    );
    let beside = (other != m).then_some([m, other]);
    if let Some(hz) = turns_at(case, mic, m) {
        text.push_str(&format!(" It turns at about {} Hz.", (hz / 10.0).round() * 10.0));
    }
    let now = case.tracks[m].edit.invert;
    let invert = mic.sign < 0 && verdict > Verdict::Undecided;
    // What the pair keeps at the lows and of the attack, against unrelated sounds, as it is and inverted.
    let keeps = |part: Part, sign: f64| {
        let likeness = beside.and_then(|pair| likeness(row, pair, part))?;
        Some(db_of_power((1.0 + sign * likeness).max(1e-3)))
    };
    if let Some([low, high, low_inverted, high_inverted]) = keeps(Part::Lows, 1.0)
        .zip(keeps(Part::Highs, 1.0))
        .zip(keeps(Part::Lows, -1.0).zip(keeps(Part::Highs, -1.0)))
        .map(|((a, b), (c, d))| [a, b, c, d])
    {
        text.push_str(&format!(
            " With {} on {}, the lows keep {low:+.1} dB and the attack {high:+.1} dB as it is; {low_inverted:+.1} dB and {high_inverted:+.1} dB inverted.",
            case.label(other),
            sources[i].name,
        ));
    }
    let changes: Vec<Change> = invert.then_some(Change { of: m, to: To::Inverted(!now) }).into_iter().collect();
    let effects = effects_of(case, &changes);
    let mut about = vec![m];
    about.extend((other != m).then_some(other));
    let advice = match invert {
        true => "Inverted it keeps more of the lows; listen to both.",
        false => "Leave the polarity: it keeps more of the lows so; listen to both.",
    };
    let finding =
        Finding::of_tracks(Kind::PhaseTurns, about, text).on_source(i).verdict(verdict).hits(row.cells[m].hits);
    Some(finding.advice(advice).changes(changes, effects))
}

/// Opposed to the others, to its own source, or to one of the two.
fn opposed(case: &Case, m: usize, mic: &Mic, sources: &[SourceOf]) -> Option<Finding> {
    let own = mic.own;
    // Inverted on purpose for the sake of its own source: that the others arrive inverted now is expected.
    let (is_wired, is_opposed) = (mic.wired(), mic.opposed());
    let on_purpose = is_wired && is_opposed && case.tracks[m].edit.invert;
    let told = (is_wired || is_opposed) && !on_purpose;
    // What is to be inverted is no surer than what becomes of the sum.
    let wiring = if mic.sign < 0 { mic.wiring.min(mic.verdict) } else { mic.wiring };
    let verdict = if is_wired { wiring } else { mic.verdict }.filter(|_| told)?;
    let finding = if mic.either || verdict == Verdict::Undecided {
        // Reported only when its own source is heard clearly.
        untold(m, case.label(m), mic, &sources[own.filter(|_| mic.clearly)?].name)
    } else if is_wired {
        wired(m, case.label(m), mic).verdict(verdict)
    } else {
        let source = own.map_or("its source", |i| sources[i].name.as_str());
        placed(m, case.label(m), mic, source).verdict(verdict)
    };
    let invert = mic.sign < 0 && finding.kind != Kind::Undecided;
    let inverted = To::Inverted(!case.tracks[m].edit.invert);
    let changes: Vec<Change> = invert.then_some(Change { of: m, to: inverted }).into_iter().collect();
    let cost = if invert { cost_of(case, m, &changes) } else { None };
    let effects = effects_of(case, &changes);
    Some(
        finding
            .shown_on(own.or(cost.as_ref().map(|c| c.row)))
            .hits(mic.hits)
            .cost(cost.as_ref().map(|c| c.total_db), cost.map(|c| c.bands).unwrap_or_default())
            .changes(changes, effects),
    )
}

fn untold(m: usize, name: &str, mic: &Mic, source: &str) -> Finding {
    let why = if mic.either {
        "no other source reaches it clearly".into()
    } else {
        format!("{} other sources speak for it and {} against", mic.for_it, mic.against)
    };
    let text = format!("{name} is opposed on {source}, but whether by wiring or by its place cannot be told: {why}.");
    let advice = "A hit of another player alone would help.";
    Finding::of_tracks(Kind::Undecided, [m], text).verdict(Verdict::Undecided).advice(advice)
}

fn wired(m: usize, name: &str, mic: &Mic) -> Finding {
    let of = mic.for_it + mic.against;
    let mut text = format!("{name} is wired inverted: {} of {of} other sources arrive inverted.", mic.for_it);
    if mic.opposed() {
        text.push_str(" It also stands opposed to its own source, so that the two cancel: leave it as it is.");
    }
    let advice = if mic.opposed() { "Leave the polarity as it is; repair the cable." } else { "Invert it." };
    Finding::of_tracks(Kind::WiredInverted, [m], text).advice(advice)
}

fn placed(m: usize, name: &str, mic: &Mic, source: &str) -> Finding {
    let text = format!(
        "{name} stands on the opposite side of {source}: its own source arrives inverted, {} other sources arrive upright. \
         That is its place, not its wiring.",
        mic.for_it
    );
    Finding::of_tracks(Kind::OpposedByPlacement, [m], text).advice("Invert it for the sake of its own source.")
}
