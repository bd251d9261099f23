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
