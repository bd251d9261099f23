//! Stretches of a recording that carry something besides what the whole of it carries.

use super::correction::Correction;
use crate::units::RecordingFrame;
use serde::{Deserialize, Serialize};

/// One stretch. Frames are counted from the recording's own beginning, at the session's rate: moving the track moves them along.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct Stretch {
    /// First frame.
    pub from: RecordingFrame,
    /// Frame after the last.
    pub to: RecordingFrame,
    /// What is added to the track's own correction: offsets and gains add up, two inversions are none.
    pub besides: Correction,
}

/// Stretches with one more: in order, none over another, each with all that is added there; those that add nothing are left out.
pub fn with_stretch(stretches: &[Stretch], more: Stretch) -> Vec<Stretch> {
    let all: Vec<&Stretch> = stretches.iter().chain([&more]).filter(|m| m.from < m.to).collect();
    let mut edges: Vec<RecordingFrame> = all.iter().flat_map(|m| [m.from, m.to]).collect();
    edges.sort_unstable();
    edges.dedup();
    let mut made: Vec<Stretch> = Vec::new();
    for part in edges.windows(2) {
        let here = all.iter().filter(|m| m.from <= part[0] && part[1] <= m.to);
        let besides = here.fold(Correction::default(), |sum, m| sum.and(&m.besides));
        match made.last_mut() {
            _ if besides.is_neutral() => {}
            Some(last) if last.to == part[0] && last.besides == besides => last.to = part[1],
            _ => made.push(Stretch { from: part[0], to: part[1], besides }),
        }
    }
    made
}
