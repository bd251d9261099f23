//! Of several takes a part each.

use super::limits::{MOST_BY_HAND, not_many};
use crate::error::ServerError;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Takes that one part is chosen from, at most.
const MOST_TAKES: usize = 64;

/// A part of the session in which one of several takes is heard.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct CompPart {
    /// Session frames: the first, and the one after the last.
    pub range: [i64; 2],
    /// The take.
    pub take: Uuid,
}

/// Of several takes a part each.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct CompOf {
    /// The takes; outside of all parts the first is heard.
    pub takes: Vec<Uuid>,
    /// Of several over one another the last counts.
    #[serde(default)]
    pub parts: Vec<CompPart>,
}

impl CompOf {
    /// As [`super::TimingOf::check`].
    ///
    /// # Errors
    /// [`ServerError::Invalid`] names what cannot.
    pub fn check(&self) -> Result<(), ServerError> {
        let mut each = self.takes.clone();
        each.sort_unstable();
        each.dedup();
        if each.len() != self.takes.len() {
            return Err(ServerError::Invalid("a take is named once".into()));
        }
        not_many(self.takes.len(), MOST_TAKES, "takes")?;
        not_many(self.parts.len(), MOST_BY_HAND, "parts")?;
        if self.parts.iter().any(|p| p.range[0] >= p.range[1]) {
            return Err(ServerError::Invalid("a part ends after it begins".into()));
        }
        match self.parts.iter().all(|p| self.takes.contains(&p.take)) {
            true => Ok(()),
            false => Err(ServerError::Invalid("a part is one of the takes'".into())),
        }
    }

    /// Every session frame in it.
    pub fn frames(&self) -> impl Iterator<Item = i64> {
        self.parts.iter().flat_map(|p| p.range)
    }
}
