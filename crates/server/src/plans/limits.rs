//! What a plan may hold.

use crate::error::ServerError;

/// Strokes that are drawn, left out or moved by hand in one plan, at most: a plan is asked about in an address, which holds 64 KiB.
pub const MOST_BY_HAND: usize = 400;

/// A number, what it is called, and what it may be.
pub(super) fn within(name: &str, value: f64, [least, most]: [f64; 2]) -> Result<(), ServerError> {
    match (least..=most).contains(&value) {
        true => Ok(()),
        false => Err(ServerError::Invalid(format!("{name} {value} is not between {least} and {most}"))),
    }
}

/// Refuses more than there may be.
pub(super) fn not_many(count: usize, most: usize, what: &str) -> Result<(), ServerError> {
    match count <= most {
        true => Ok(()),
        false => Err(ServerError::Invalid(format!("{most} {what} at most"))),
    }
}

/// Moved by hand by no more than this, in frames: a minute at the highest rate.
const FARTHEST: i64 = 60 * 192_000;

/// Nothing is moved by hand by more than [`FARTHEST`].
///
/// # Errors
/// [`ServerError::Invalid`].
pub(super) fn far(moves: impl IntoIterator<Item = i64>) -> Result<(), ServerError> {
    match moves.into_iter().all(|by| by.unsigned_abs() <= FARTHEST.unsigned_abs()) {
        true => Ok(()),
        false => Err(ServerError::Invalid("a stroke is moved by a minute at most".into())),
    }
}
