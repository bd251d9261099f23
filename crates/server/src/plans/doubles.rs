//! Takes that double a lead: how they are brought into time with it.

use super::limits::{MOST_BY_HAND, not_many, within};
use crate::error::ServerError;
use marea_core::lead::course::Asked;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Takes that follow one lead at once, at most.
const MOST_TAKES: usize = 64;

/// A moment of the lead and one of the take that are brought together, whatever was found.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct PinOf {
    /// Session frame at which the lead is heard.
    pub lead: i64,
    /// Session frame at which the take is heard as it is now.
    pub take: i64,
}

/// A take that follows, and what is its own.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct FollowerOf {
    /// The take; what is linked with it comes along.
    pub take: Uuid,
    /// Session frames of the take, from and to, that keep their length and move as one.
    #[serde(default)]
    pub protected: Vec<[i64; 2]>,
    /// Pins.
    #[serde(default)]
    pub pins: Vec<PinOf>,
}

/// A lead, the takes that double it, and how closely they follow.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct DoublesOf {
    /// The lead.
    pub lead: Uuid,
    /// Takes.
    pub takes: Vec<FollowerOf>,
    /// Part of the difference that is taken out, in per cent: 0 to 100.
    pub strength: f64,
    /// What is apart by no more than this stays, and of all else this much, in ms: 0 to 200.
    pub slack_ms: f64,
    /// A take runs at most so many times faster or slower than it was: 1 to 2.
    pub ratio: f64,
    /// Part of the way that the pitch of a take is drawn towards the lead's, in per cent: 0 to 100.
    #[serde(default)]
    pub pitch: f64,
}

impl DoublesOf {
    /// Can it be carried out?
    ///
    /// # Errors
    /// [`ServerError::Invalid`] names what cannot.
    pub fn check(&self) -> Result<(), ServerError> {
        let refuse = |what: &str| Err(ServerError::Invalid(what.into()));
        within("strength", self.strength, [0.0, 100.0])?;
        within("slack_ms", self.slack_ms, [0.0, 200.0])?;
        within("ratio", self.ratio, [1.0, 2.0])?;
        within("pitch", self.pitch, [0.0, 100.0])?;
        not_many(self.takes.len(), MOST_TAKES, "takes")?;
        let mut each: Vec<Uuid> = self.takes.iter().map(|t| t.take).collect();
        each.sort_unstable();
        each.dedup();
        if each.len() != self.takes.len() {
            return refuse("a take is named once");
        }
        if each.contains(&self.lead) {
            return refuse("a lead does not follow itself");
        }
        let by_hand: usize = self.takes.iter().map(|t| t.protected.len() + t.pins.len()).sum();
        not_many(by_hand, MOST_BY_HAND, "pins and protected stretches")?;
        match self.takes.iter().flat_map(|t| &t.protected).any(|p| p[0] >= p[1]) {
            true => refuse("a protected stretch ends after it begins"),
            false => Ok(()),
        }
    }

    /// Every session frame in it.
    pub fn frames(&self) -> impl Iterator<Item = i64> {
        let protected = self.takes.iter().flat_map(|t| &t.protected).flatten().copied();
        protected.chain(self.takes.iter().flat_map(|t| &t.pins).flat_map(|p| [p.lead, p.take]))
    }

    /// What is asked of one of its takes, at a rate.
    pub fn asked(&self, of: &FollowerOf, rate_hz: f64) -> Asked {
        Asked {
            strength: self.strength / 100.0,
            slack: self.slack_ms * rate_hz / 1_000.0,
            ratio: self.ratio,
            protected: of.protected.iter().map(|p| p.map(|f| f as f64)).collect(),
            pins: of.pins.iter().map(|p| [p.lead as f64, p.take as f64]).collect(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn plan(lead: u128, takes: &[u128]) -> DoublesOf {
        let one = |n: &u128| FollowerOf { take: Uuid::from_u128(*n), protected: Vec::new(), pins: Vec::new() };
        DoublesOf {
            lead: Uuid::from_u128(lead),
            takes: takes.iter().map(one).collect(),
            strength: 80.0,
            slack_ms: 5.0,
            ratio: 1.5,
            pitch: 0.0,
        }
    }

    #[test]
    fn what_cannot_be_carried_out_is_named() {
        assert!(plan(1, &[2, 3]).check().is_ok());
        let said = |plan: DoublesOf| plan.check().unwrap_err().to_string();
        assert!(said(plan(1, &[2, 2])).contains("named once"));
        assert!(said(plan(1, &[1])).contains("does not follow itself"));
        assert!(said(DoublesOf { ratio: 2.5, ..plan(1, &[2]) }).contains("ratio 2.5 is not between 1 and 2"));
        assert!(said(DoublesOf { strength: f64::NAN, ..plan(1, &[2]) }).contains("strength"));
        assert!(said(DoublesOf { pitch: 101.0, ..plan(1, &[2]) }).contains("pitch 101"));
        let mut backwards = plan(1, &[2]);
        backwards.takes[0].protected.push([9, 9]);
        assert!(said(backwards).contains("ends after it begins"));
    }

    #[test]
    fn what_is_asked_of_a_take_is_in_frames() {
        let mut of = plan(1, &[2]);
        of.takes[0].protected.push([10, 20]);
        of.takes[0].pins.push(PinOf { lead: 30, take: 40 });
        let asked = of.asked(&of.takes[0], 48_000.0);
        assert_eq!((asked.strength, asked.slack, asked.ratio), (0.8, 240.0, 1.5));
        assert_eq!((asked.protected, asked.pins), (vec![[10.0, 20.0]], vec![[30.0, 40.0]]));
        let mut frames: Vec<i64> = of.frames().collect();
        frames.sort_unstable();
        assert_eq!(frames, [10, 20, 30, 40]);
    }
}
