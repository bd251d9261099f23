//! Passages that are placed elsewhere: where they are from, where they go, and how they come and go.

use super::limits::{MOST_BY_HAND, not_many};
use crate::error::ServerError;
use marea_core::edit::passage::Passage;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// A passage of some tracks, and where it is heard again. Frames are those of the session, with the offsets that the tracks carry.
#[derive(Debug, Clone, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct PassageOf {
    /// The tracks; what is linked with one of them comes along.
    pub tracks: Vec<Uuid>,
    /// Where it begins as music, and the frame after it has ended.
    pub range: [i64; 2],
    /// Frame at which it begins as music where it is placed.
    pub at: i64,
    /// Frames that are heard before it begins.
    #[serde(default)]
    pub head: i64,
    /// Frames that are heard after it has ended.
    #[serde(default)]
    pub tail: i64,
    /// Frames over which it comes in.
    pub fade_in: i64,
    /// Frames over which it goes out.
    pub fade_out: i64,
    /// It is silent where it was played.
    #[serde(default)]
    pub moved: bool,
}

impl PassageOf {
    /// What a track carries of it, whose time begins at a frame of the session.
    pub fn from_frame(&self, begins: i64) -> Passage {
        Passage {
            from: self.range[0].saturating_sub(self.head).saturating_sub(begins),
            to: self.range[1].saturating_add(self.tail).saturating_sub(begins),
            by: self.at.saturating_sub(self.range[0]),
            fade_in: self.fade_in,
            fade_out: self.fade_out,
            moved: self.moved,
        }
    }
}

/// All passages that are placed in a session.
#[derive(Debug, Clone, PartialEq, Eq, Default, Serialize, Deserialize, ToSchema)]
pub struct PassagesOf {
    /// In the order in which they are placed: each over what those before it left.
    #[serde(default)]
    pub passages: Vec<PassageOf>,
}

impl PassagesOf {
    /// Can they be placed?
    ///
    /// # Errors
    /// [`ServerError::Invalid`] names what cannot.
    pub fn check(&self) -> Result<(), ServerError> {
        let refuse = |what: &str| Err(ServerError::Invalid(what.into()));
        not_many(self.passages.len(), MOST_BY_HAND, "passages")?;
        for p in &self.passages {
            if p.tracks.is_empty() {
                return refuse("a passage is one of some tracks");
            }
            if p.range[0] >= p.range[1] {
                return refuse("a passage ends after it begins");
            }
            if p.head < 0 || p.tail < 0 {
                return refuse("what is heard before and after a passage is not less than nothing");
            }
            if !p.from_frame(0).is_sound() {
                return refuse("the fades of a passage lie within it");
            }
        }
        Ok(())
    }

    /// Every session frame in them.
    pub fn frames(&self) -> impl Iterator<Item = i64> {
        let of = |p: &PassageOf| {
            let placed = p.from_frame(0);
            [[placed.from, placed.to], placed.target()].into_iter().flatten()
        };
        self.passages.iter().flat_map(of)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn passage() -> PassageOf {
        let of = r#"{"tracks": ["00000000-0000-0000-0000-000000000000"], "range": [48000, 96000], "at": 144000, "head": 4800, "tail": 2400, "fade_in": 480, "fade_out": 960}"#;
        serde_json::from_str(of).expect("what is not said is usual")
    }

    #[test]
    fn its_beginning_as_music_goes_where_it_is_placed() {
        let placed = passage().from_frame(1_000);
        assert_eq!((placed.from, placed.to, placed.by), (42_200, 97_400, 96_000));
        let all = PassagesOf { passages: vec![passage()] };
        assert!(all.check().is_ok());
        assert_eq!(all.frames().collect::<Vec<_>>(), [43_200, 98_400, 139_200, 194_400]);
    }

    #[test]
    fn what_cannot_be_placed_is_named() {
        let one = |change: &dyn Fn(&mut PassageOf)| {
            let mut p = passage();
            change(&mut p);
            PassagesOf { passages: vec![p] }.check().unwrap_err().to_string()
        };
        assert!(one(&|p| p.tracks.clear()).contains("some tracks"));
        assert!(one(&|p| p.range = [5, 5]).contains("ends after it begins"));
        assert!(one(&|p| p.head = -1).contains("not less than nothing"));
        assert!(one(&|p| p.fade_in = 80_000).contains("fades"));
        assert!(one(&|p| p.fade_out = i64::MAX).contains("fades"));
        let many = PassagesOf { passages: vec![passage(); MOST_BY_HAND + 1] };
        assert!(many.check().unwrap_err().to_string().contains("400 passages"));
    }
}
