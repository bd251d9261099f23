//! What it does to the sound when copies of one track meet unequally late.

use super::graph::Graph;
use super::meet::Meeting;
use crate::decide::finding::{Finding, Gain};
use crate::decide::kind::Kind;
use crate::dsp::bands::BANDS_HZ;
use crate::units::db_of_power;
use std::f64::consts::TAU;

/// A band that keeps less than this of what two copies in step would give is told as this, as power.
const LEAST: f64 = 1e-3;

/// Tracks that a sentence names.
const NAMED: usize = 3;

/// Power of the sum of two equally loud copies `apart_s` seconds apart against two unrelated sounds, averaged over the third-octave
/// round `hz`: 1 + cos(2πfT), in closed form.
pub fn sum_of_copies(apart_s: f64, hz: f64) -> f64 {
    let [low, high] = [hz * 2f64.powf(-1.0 / 6.0), hz * 2f64.powf(1.0 / 6.0)];
    let turns = TAU * apart_s * (high - low);
    if turns.abs() < 1e-9 {
        return 1.0 + (TAU * hz * apart_s).cos();
    }
    1.0 + ((TAU * apart_s * high).sin() - (TAU * apart_s * low).sin()) / turns
}

/// A meeting as a finding. `tracks` gives the session's tracks that a node stands for, by number.
pub fn unequal(graph: &Graph, meeting: &Meeting, rate_hz: f64, tracks: &dyn Fn(usize) -> Vec<usize>) -> Finding {
    let samples = meeting.apart.samples();
    let apart_s = samples / rate_hz;
    let bands: Vec<Gain> = BANDS_HZ
        .iter()
        .map(|&hz| {
            let now_db = db_of_power(sum_of_copies(apart_s, hz).max(LEAST));
            Gain { hz, now_db, then_db: db_of_power(2.0) }
        })
        .collect();
    let kept = BANDS_HZ.iter().map(|&hz| sum_of_copies(apart_s, hz)).sum::<f64>() / BANDS_HZ.len() as f64;
    let cost_db = db_of_power(2.0 / kept.max(LEAST));
    let worst = bands.iter().min_by(|a, b| a.now_db.total_cmp(&b.now_db));
    let more = meeting.tracks.len().saturating_sub(NAMED);
    let names: Vec<&str> = meeting.tracks.iter().take(NAMED).map(|&t| graph.ids[t].as_str()).collect();
    let mut text = format!(
        "{} gets {}{} by two ways, {:.2} ms ({samples:.1} samples) apart: first by {}, last by {}.",
        graph.ids[meeting.node],
        names.join(", "),
        if more > 0 { format!(" and {more} more") } else { String::new() },
        apart_s * 1_000.0,
        graph.edge_name(meeting.early),
        graph.edge_name(meeting.late),
    );
    if let Some(w) = worst {
        text.push_str(&format!(
            " Two copies equally loud keep {:.1} dB less around {:.0} Hz than in step.",
            w.then_db - w.now_db,
            w.hz
        ));
    }
    let about: Vec<usize> = meeting.tracks.iter().flat_map(|&t| tracks(t)).collect();
    Finding::of_tracks(Kind::PathsMeetUnequal, about, text)
        .advice(match meeting.tracks.len() {
            1 => format!("Delay {} by {:.2} ms.", graph.edge_name(meeting.early), apart_s * 1_000.0),
            _ => "These tracks need delays of their own before they meet.".into(),
        })
        .cost(Some(cost_db), bands)
}
