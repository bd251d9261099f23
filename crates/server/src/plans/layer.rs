//! A layer that is set onto its source, hit by hit.

use super::limits::{MOST_BY_HAND, far, not_many};
use crate::error::ServerError;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// A hit of a layer that goes elsewhere than onto its source.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct LayerOwn {
    /// Session frame of the hit in the layer, as recorded.
    pub at: i64,
    /// By how many frames it goes, later when positive; 0 leaves it as recorded.
    pub by: i64,
}

/// A layer that is set onto its source, hit by hit.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct LayerOf {
    /// What was played.
    pub source: Uuid,
    /// What doubles it.
    pub layer: Uuid,
    /// Only hits named in `own` are moved; else all of them are set onto their source.
    #[serde(default)]
    pub picked_only: bool,
    /// Hits that go elsewhere.
    #[serde(default)]
    pub own: Vec<LayerOwn>,
}

impl LayerOf {
    /// As [`super::TimingOf::check`].
    ///
    /// # Errors
    /// [`ServerError::Invalid`] names what cannot.
    pub fn check(&self) -> Result<(), ServerError> {
        if self.source == self.layer {
            return Err(ServerError::Invalid("a track is no layer of its own".into()));
        }
        not_many(self.own.len(), MOST_BY_HAND, "hits moved by hand")?;
        far(self.own.iter().map(|o| o.by))
    }

    /// Every session frame in it.
    pub fn frames(&self) -> impl Iterator<Item = i64> {
        self.own.iter().map(|o| o.at)
    }
}
