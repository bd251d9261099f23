//! The strokes of a session as somebody has corrected them: some drawn, some left out.

use crate::db::tracks::TrackRow;
use crate::plans::{StrokeOf, TimingOf};
use marea_core::hits::learn::Source;
use marea_core::hits::{Hit, Played};
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;

/// A stroke that is left out lies within this of the place that was pointed at, in seconds.
const SAME_S: f64 = 0.006;

/// What was found, without what is left out and with what was drawn. Of every track: its row, and by how many frames it is late by itself.
pub fn by_hand(
    found: &[Played],
    plan: &TimingOf,
    (tracks, late): (&[TrackRow], &[f64]),
    rate: SampleRate,
) -> Vec<Played> {
    let mut all = found.to_vec();
    // In frames as recorded, where strokes are counted.
    let recorded = |s: &StrokeOf| {
        let home = tracks.iter().position(|t| t.id == s.track)?;
        Some((home, s.at as f64 + late[home]))
    };
    let same = rate.hz_f64() * SAME_S;
    for (home, at) in plan.removed.iter().filter_map(recorded) {
        for p in all.iter_mut().filter(|p| p.source.home == home) {
            p.hits.retain(|h| (h.at - at).abs() > same);
        }
    }
    for (home, at) in plan.added.iter().filter_map(recorded) {
        let own = match all.iter().position(|p| p.source.home == home) {
            Some(n) => n,
            None => {
                let mut source = Source::unknown(home, tracks.len());
                source.lags[home] = Some(0.0);
                all.push(Played { source, hits: Vec::new(), perhaps: Vec::new() });
                all.len() - 1
            }
        };
        // Whoever draws a stroke is sure of it, and it is no softer than a usual one.
        let hit = Hit { at, level_db: 0.0, margin_db: 0.0, odds: 0.0, verdict: Verdict::Solid };
        let place = all[own].hits.partition_point(|h| h.at < at);
        all[own].hits.insert(place, hit);
    }
    all
}
