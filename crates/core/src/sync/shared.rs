//! Pieces of one recorder share one clock.

use super::placed::Place;

/// Speeds told of the pieces of one recorder belong together within so many standard errors, and so many parts of a million besides.
const ERRORS: f64 = 4.0;
const BESIDES_PPM: f64 = 0.2;

/// One speed for all pieces of a recorder that were placed: the mean by their errors, with its own error. None where fewer than two were
/// placed, or their speeds contradict one another.
pub fn shared_clock(pieces: &[&Place]) -> Option<(f64, f64)> {
    let told: Vec<(f64, f64)> = pieces.iter().filter_map(|p| p.line.map(|l| (l.ppm, p.ppm_error.max(0.01)))).collect();
    if told.len() < 2 {
        return None;
    }
    let weight = told.iter().map(|(_, e)| 1.0 / (e * e)).sum::<f64>();
    let mean = told.iter().map(|(ppm, e)| ppm / (e * e)).sum::<f64>() / weight;
    let belongs = |(ppm, e): &(f64, f64)| (ppm - mean).abs() <= ERRORS * e + BESIDES_PPM;
    told.iter().all(belongs).then_some((mean, (1.0 / weight).sqrt()))
}

#[cfg(test)]
mod tests {
    use super::super::windows::Line;
    use super::*;
    use crate::verdict::Verdict;

    fn piece(ppm: f64, ppm_error: f64) -> Place {
        Place { line: Some(Line { at: 0.0, ppm }), ppm_error, verdict: Verdict::Solid, ..Place::undecided("") }
    }

    #[test]
    fn pieces_share_a_clock_unless_they_contradict() {
        let (a, b, c) = (piece(38.2, 0.4), piece(38.0, 0.2), piece(-5.0, 0.2));
        let (ppm, error) = shared_clock(&[&a, &b]).unwrap();
        assert!((ppm - 38.04).abs() < 0.001 && (error - 0.1789).abs() < 0.001, "{ppm} {error}");
        assert_eq!(shared_clock(&[&a, &c]), None);
        assert_eq!(shared_clock(&[&a]), None);
    }
}
