//! How much a measurement can be trusted.

use serde::{Deserialize, Serialize};
/// How much a measurement can be trusted.
#[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Verdict {
    /// No number is given; the reason says what is missing.
    Undecided,
    /// Probably right; worth an ear.
    Likely,
    /// Clear from every side it was looked at.
    Solid,
}
