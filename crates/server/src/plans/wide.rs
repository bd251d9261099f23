//! One part as a wide pair.

use super::limits::within;
use crate::error::ServerError;
use marea_core::widen::drift::Asked;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Copies of a part, half of them left and half right, that drift slowly in time and pitch.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct WideOf {
    /// The part: one track that is linked with no other.
    pub track: Uuid,
    /// 2, 4 or 6.
    pub copies: u8,
    /// No copy is ever further off in time, in ms: 1 to 40.
    pub apart_ms: f64,
    /// Nor in pitch, in cents: 0.5 to 30.
    pub cents: f64,
    /// Which drift, 0 to 999: each number is another one, and the same every time.
    #[serde(default)]
    pub drift: u16,
}

impl WideOf {
    /// Can it be carried out?
    ///
    /// # Errors
    /// [`ServerError::Invalid`] names what cannot.
    pub fn check(&self) -> Result<(), ServerError> {
        within("apart_ms", self.apart_ms, [1.0, 40.0])?;
        within("cents", self.cents, [0.5, 30.0])?;
        within("drift", f64::from(self.drift), [0.0, 999.0])?;
        match self.copies {
            2 | 4 | 6 => Ok(()),
            other => Err(ServerError::Invalid(format!("copies {other}: half of 2, 4 or 6 stand on either side"))),
        }
    }

    /// As the rules have it.
    pub fn asked(&self) -> Asked {
        Asked {
            copies: usize::from(self.copies),
            apart_ms: self.apart_ms,
            cents: self.cents,
            drift: u32::from(self.drift),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn plan(text: &str) -> WideOf {
        let of = format!(r#"{{ "track": "{}", {text} }}"#, Uuid::from_u128(1));
        serde_json::from_str(&of).expect("what is not said is usual")
    }

    #[test]
    fn what_cannot_be_carried_out_is_named() {
        let of = plan(r#""copies": 4, "apart_ms": 12, "cents": 6"#);
        assert!(of.check().is_ok());
        assert_eq!(of.asked(), Asked { copies: 4, apart_ms: 12.0, cents: 6.0, drift: 0 });
        let said = |text: &str| plan(text).check().unwrap_err().to_string();
        assert!(said(r#""copies": 3, "apart_ms": 12, "cents": 6"#).contains("copies 3: half of"));
        assert!(said(r#""copies": 2, "apart_ms": 41, "cents": 6"#).contains("apart_ms 41 is not between"));
        assert!(said(r#""copies": 2, "apart_ms": 4, "cents": 0"#).contains("cents 0 is not between"));
        assert!(said(r#""copies": 2, "apart_ms": 4, "cents": 1, "drift": 1000"#).contains("drift 1000"));
    }
}
