//! Notes of a voice that are to have another pitch.

use super::limits::{MOST_BY_HAND, not_many, within};
use crate::error::ServerError;
use marea_core::retune::wanted::NoteChange;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// What becomes of a note.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct NoteOf {
    /// Session frame at which it begins, as the track is heard.
    pub from: i64,
    /// Session frame after its end.
    pub to: i64,
    /// Up by so many cents: -1,200 to 1,200.
    #[serde(default)]
    pub cents: f64,
    /// Part of its drift that stays, in per cent: 0 to 100.
    #[serde(default = "all_of_it")]
    pub drift: f64,
    /// Part of its vibrato that stays, in per cent: 0 to 100.
    #[serde(default = "all_of_it")]
    pub vibrato: f64,
}

fn all_of_it() -> f64 {
    100.0
}

/// Notes of a track that are to have another pitch.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct RetuneOf {
    /// The track: one voice.
    pub track: Uuid,
    /// Notes that change; the others stay.
    #[serde(default)]
    pub notes: Vec<NoteOf>,
}

impl RetuneOf {
    /// Can it be carried out?
    ///
    /// # Errors
    /// [`ServerError::Invalid`] names what cannot.
    pub fn check(&self) -> Result<(), ServerError> {
        not_many(self.notes.len(), MOST_BY_HAND, "notes changed")?;
        for n in &self.notes {
            within("cents", n.cents, [-1_200.0, 1_200.0])?;
            within("drift", n.drift, [0.0, 100.0])?;
            within("vibrato", n.vibrato, [0.0, 100.0])?;
        }
        match self.notes.iter().any(|n| n.from >= n.to) {
            true => Err(ServerError::Invalid("a note ends after it begins".into())),
            false => Ok(()),
        }
    }

    /// Every session frame in it.
    pub fn frames(&self) -> impl Iterator<Item = i64> {
        self.notes.iter().flat_map(|n| [n.from, n.to])
    }

    /// As the rules have it; what changes nothing is left out.
    pub fn changes(&self) -> Vec<NoteChange> {
        let one = |n: &NoteOf| NoteChange {
            from: n.from as f64,
            to: n.to as f64,
            cents: n.cents,
            drift: n.drift / 100.0,
            vibrato: n.vibrato / 100.0,
        };
        let changes = |c: &NoteChange| c.cents != 0.0 || c.drift < 1.0 || c.vibrato < 1.0;
        self.notes.iter().map(one).filter(changes).collect()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn plan(text: &str) -> RetuneOf {
        let notes: Vec<NoteOf> = serde_json::from_str(text).expect("what is not said is usual");
        RetuneOf { track: Uuid::from_u128(1), notes }
    }

    #[test]
    fn what_is_not_said_stays_and_what_changes_nothing_is_left_out() {
        let of = plan(r#"[{ "from": 5, "to": 9 }, { "from": 10, "to": 20, "cents": -30.0, "vibrato": 40.0 }]"#);
        assert!(of.check().is_ok());
        let changes = of.changes();
        assert_eq!(changes, [NoteChange { from: 10.0, to: 20.0, cents: -30.0, drift: 1.0, vibrato: 0.4 }]);
        assert_eq!(of.frames().collect::<Vec<_>>(), [5, 9, 10, 20]);
    }

    #[test]
    fn what_cannot_be_carried_out_is_named() {
        let said = |text: &str| plan(text).check().unwrap_err().to_string();
        assert!(said(r#"[{ "from": 9, "to": 9 }]"#).contains("ends after it begins"));
        assert!(said(r#"[{ "from": 0, "to": 9, "cents": 1300.0 }]"#).contains("cents 1300 is not between"));
        assert!(said(r#"[{ "from": 0, "to": 9, "vibrato": -1.0 }]"#).contains("vibrato -1"));
    }
}
