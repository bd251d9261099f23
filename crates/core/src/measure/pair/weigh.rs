//! How sure a measurement is, and the sentence that says why.

use crate::measure::pair::estimate::Estimate;
use crate::measure::pair::options::Material;
use crate::units::SampleRate;
use crate::verdict::Verdict;

/// Fewest windows that can decide anything.
pub const MIN_HITS: usize = 4;
/// Height over the RMS of the curve under which nothing is said.
pub const MIN_HEIGHT: f64 = 6.0;
/// Height from which a measurement may be called solid.
pub const SOLID_HEIGHT: f64 = 10.0;
/// A second peak of this part of the first makes the choice a guess.
pub const RIVAL_UNDECIDED: f64 = 0.85;
/// Up to this part a second peak leaves a solid measurement solid.
pub const RIVAL_SOLID: f64 = 0.7;
/// Coherence from which a measurement may be called solid.
pub const SOLID_COHERENCE: f64 = 0.3;

/// Weighs an estimate. The thresholds of count, height and rival are those of the method; the agreement of the
/// parts of the recording is what catches a high peak that is no constant delay.
pub fn weigh(e: &Estimate, material: Material, rate: SampleRate) -> (Verdict, String) {
    let unit = match material {
        Material::Struck => "clear hits",
        Material::Sustained => "windows above the noise",
    };
    if let Some(why) = undecided(e, material, unit, rate) {
        return (Verdict::Undecided, why);
    }
    let n = e.hits;
    let all = e.parts_agreeing == e.parts;
    if e.height >= SOLID_HEIGHT && e.coherence >= SOLID_COHERENCE && e.rival <= RIVAL_SOLID && all {
        return (
            Verdict::Solid,
            format!(
                "one clear peak, {:.0} times the curve's RMS; {n} {unit} and every part of the recording agree",
                e.height
            ),
        );
    }
    let doubt = if !all {
        format!("{} of {} parts of the recording agree", e.parts_agreeing, e.parts)
    } else if e.coherence < SOLID_COHERENCE {
        format!("the two share little: coherence {:.2}", e.coherence)
    } else if e.rival > RIVAL_SOLID {
        format!("another lag comes close: {:.2} ms at {:.0} % of the peak", rate.ms(e.rival_lag), e.rival * 100.0)
    } else {
        format!("the peak is {:.1} times the curve's RMS, {SOLID_HEIGHT:.0} would be solid", e.height)
    };
    (Verdict::Likely, doubt)
}

/// Why nothing can be said, if nothing can.
fn undecided(e: &Estimate, material: Material, unit: &str, rate: SampleRate) -> Option<String> {
    let n = e.hits;
    if n < MIN_HITS {
        return Some(format!("only {n} {unit}; at least {MIN_HITS} are needed"));
    }
    if e.height < MIN_HEIGHT {
        return Some(format!(
            "no lag stands out: the highest peak is {:.1} times the curve's RMS, {MIN_HEIGHT:.0} are needed",
            e.height
        ));
    }
    if e.at_edge {
        return Some("the highest peak lies at the edge of the lags searched".into());
    }
    // A weak peak with a companion is how a strong reflection looks.
    if e.rival >= RIVAL_UNDECIDED || (e.height < SOLID_HEIGHT && e.rival > RIVAL_SOLID) {
        return Some(format!(
            "two lags fit alike: {:.2} ms and {:.2} ms (the second at {:.0} % of the first)",
            rate.ms(e.lag),
            rate.ms(e.rival_lag),
            e.rival * 100.0
        ));
    }
    if material == Material::Sustained && !e.same_for_all {
        let why =
            "the lag depends on what sounds: passages in which one track leads say something else than the others";
        return Some(why.into());
    }
    let constant = e.parts_agreeing + 1 >= e.parts && e.parts != 0;
    let agreeing = format!("{} of {} parts of the recording agree on it", e.parts_agreeing, e.parts);
    (!constant).then(|| format!("the lag is not constant: {agreeing}"))
}
