//! Tracks that are cut alike: which they are, what they carry then, and the proof that nothing was lost.

use crate::db::patch::EditPatch;
use crate::db::tracks::TrackRow;
use marea_core::edit::slice::{Cut, Slice};
use marea_core::timing::proof::Proof;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// What plays when the set is moved, read back.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct ProofFound {
    /// Everything that may be an attack, in any microphone.
    pub attacks: usize,
    /// Session frames of those that are not played in full.
    pub lost: Vec<i64>,
    /// And of those played twice.
    pub doubled: Vec<i64>,
    /// Session frames of joins that click.
    pub clicks: Vec<i64>,
    /// The worst join, in dB against the level about it; none where none adds anything.
    pub worst_join_db: Option<f64>,
    /// What is left outside of fades when the recording, moved, is taken from what plays, in dB; none where nothing is.
    pub null_db: Option<f64>,
}

impl From<Proof> for ProofFound {
    fn from(proof: Proof) -> Self {
        let finite = |db: f64| db.is_finite().then_some(db);
        Self {
            attacks: proof.ledger.attacks,
            lost: proof.ledger.lost,
            doubled: proof.ledger.doubled,
            clicks: proof.clicks,
            worst_join_db: finite(proof.worst_join_db),
            null_db: finite(proof.null_db),
        }
    }
}

/// Some tracks and what is linked with them, by their place among all.
pub fn with_linked(some: &[Uuid], all: &[TrackRow]) -> Vec<usize> {
    let links: Vec<Uuid> = all.iter().filter(|t| some.contains(&t.id)).filter_map(|t| t.link_id).collect();
    let is_one = |t: &TrackRow| some.contains(&t.id) || t.link_id.is_some_and(|l| links.contains(&l));
    (0..all.len()).filter(|n| is_one(&all[*n])).collect()
}

/// What a track carries that is cut like its set; whole without slices.
pub fn cut(slices: &[Slice], track: &TrackRow) -> EditPatch {
    let cut = match slices.is_empty() {
        true => Cut::default(),
        false => Cut { begins: track.start_frame, slices: slices.to_vec() },
    };
    EditPatch { cut: Some(cut), ..EditPatch::default() }
}
