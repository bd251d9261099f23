//! A latency as a note value: "62.5 ms is a thirty-second at 120".

use serde::{Deserialize, Serialize};

/// Note values from long to short, as parts of a whole note.
const PARTS: [u32; 7] = [1, 2, 4, 8, 16, 32, 64];
/// Certain enough to be named, in ms, besides what the measurement is uncertain by.
const NAMED_MS: f64 = 1.0;

/// A note value, and how far a latency lies beside it.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub struct NoteValue {
    /// As "1/32", "1/16 dotted" or "1/8 triplet".
    pub name: String,
    /// What the latency has over it, in ms; negative when it falls short.
    pub rest_ms: f64,
}

/// The note value nearest to a latency, when it lies within 1 ms and `uncertain_ms` of one and no other value does.
///
/// ```
/// use marea_core::notes::value::note_value;
/// let value = note_value(62.8, 120.0, 0.2).unwrap();
/// assert_eq!((value.name.as_str(), (value.rest_ms * 10.0).round()), ("1/32", 3.0));
/// assert!(note_value(70.0, 120.0, 0.2).is_none());
/// ```
pub fn note_value(latency_ms: f64, bpm: f64, uncertain_ms: f64) -> Option<NoteValue> {
    let whole_ms = 4.0 * 60_000.0 / bpm;
    let kinds = [("", 1.0), (" dotted", 1.5), (" triplet", 2.0 / 3.0)];
    let values =
        PARTS.iter().flat_map(|part| kinds.map(|(kind, times)| (format!("1/{part}{kind}"), times / f64::from(*part))));
    let within = NAMED_MS + uncertain_ms;
    let mut near = values
        .map(|(name, whole)| NoteValue { name, rest_ms: latency_ms.abs() - whole * whole_ms })
        .filter(|v| v.rest_ms.abs() <= within);
    let found = near.next()?;
    near.next().is_none().then_some(found)
}
