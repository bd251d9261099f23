//! An edit as it is drawn: which part of the recording is seen where, one after the other.

use super::piece::{Piece, Pieces, Reading};
use crate::units::SessionFrame;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;

/// A stretch of the session that shows one part of the recording.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct DrawnPiece {
    /// First session frame.
    pub from: SessionFrame,
    /// Session frame after the last.
    pub to: SessionFrame,
    /// Session frame, fractional, at which the first frame of the recording would play.
    pub start: f64,
    /// Frames of the recording a session frame; 1 for its own speed.
    pub rate: f64,
    /// Factor on the samples, below 0 where it plays inverted.
    pub factor: f64,
}

impl Pieces {
    /// What is drawn of a recording of so many frames; nothing where nothing plays.
    pub fn drawn(&self, frames: i64) -> Vec<DrawnPiece> {
        let inside = |p: &Piece| {
            let (first, end) = (p.session_frame(0).floor() as i64, p.session_frame(frames).ceil() as i64);
            [p.from.max(first), p.to.min(end)]
        };
        // Where pieces begin and end: whichever comes last of those that hold a frame is seen.
        let mut edges: Vec<(i64, Option<(usize, bool)>)> = Vec::new();
        for (n, piece) in self.0.iter().enumerate() {
            edges.extend([(piece.from, Some((n, true))), (piece.to, Some((n, false)))]);
            // Where the recording begins and ends in it nothing opens or closes.
            edges.extend(inside(piece).map(|at| (at, None)));
        }
        edges.sort_by_key(|e| e.0);
        let mut open = BTreeSet::new();
        let mut drawn: Vec<DrawnPiece> = Vec::new();
        for (i, &(from, turn)) in edges.iter().enumerate() {
            match turn {
                Some((n, true)) => {
                    open.insert(n);
                }
                Some((n, false)) => {
                    open.remove(&n);
                }
                None => {}
            }
            let Some(&(to, ..)) = edges.get(i + 1).filter(|e| e.0 > from) else { continue };
            let Some(piece) = open.last().map(|n| &self.0[*n]) else { continue };
            let [first, end] = inside(piece);
            if from >= first && to <= end {
                add(&mut drawn, piece, from, to);
            }
        }
        drawn
    }
}

/// One stretch more; the one before grows where both show the same.
fn add(drawn: &mut Vec<DrawnPiece>, piece: &Piece, from: i64, to: i64) {
    let rate = if let Reading::Varying { rate, .. } = piece.reading { rate } else { 1.0 };
    let (start, factor) = (piece.session_frame(0), f64::from(piece.factor));
    match drawn.last_mut() {
        Some(last) if last.to.0 == from && (last.start, last.rate, last.factor) == (start, rate, factor) => {
            last.to.0 = to
        }
        _ => drawn.push(DrawnPiece { from: SessionFrame(from), to: SessionFrame(to), start, rate, factor }),
    }
}
