//! What the engineer measured in the room, told on the command line: the check of a folder takes it as known.

use clap::Args;
use marea_core::measure::stage::Fact;
use marea_core::track::{Side, Track};

/// What is known of the room. Tracks are named by their files; a channel of a file with several as “FILE, channel N”.
#[derive(Debug, Default, Args)]
pub struct FactArgs {
    /// In a folder: a microphone and its distance from its own source in metres.
    #[arg(long, num_args = 2, value_names = ["FILE", "METRES"])]
    from_source: Vec<String>,
    /// In a folder: two microphones and their distance in metres.
    #[arg(long, num_args = 3, value_names = ["FILE", "OTHER", "METRES"])]
    apart: Vec<String>,
    /// In a folder: where a microphone stands, metres to the right and towards the audience from a point of choice.
    #[arg(long, num_args = 3, value_names = ["FILE", "RIGHT", "FRONT"], allow_negative_numbers = true)]
    stands: Vec<String>,
    /// In a folder: the side on which a source stands, seen from the audience: the answer to a question of the check.
    #[arg(long, num_args = 2, value_names = ["FILE", "left|right|centre"])]
    side: Vec<String>,
}

impl FactArgs {
    /// Is nothing told?
    pub(super) fn is_empty(&self) -> bool {
        [&self.from_source, &self.apart, &self.stands, &self.side].iter().all(|told| told.is_empty())
    }

    /// Refuses facts where the answer would not use them.
    ///
    /// # Errors
    /// A sentence.
    pub(super) fn refuse(&self) -> Result<(), String> {
        if self.is_empty() {
            return Ok(());
        }
        Err("distances, places and sides are used in the check of a folder only; name one folder".into())
    }

    /// Sides told, put on the tracks.
    ///
    /// # Errors
    /// A sentence that names the track.
    pub(super) fn on(&self, tracks: &mut [Track]) -> Result<(), String> {
        for told in self.side.chunks(2) {
            let side = Side::of_word(&told[1]);
            if side == Side::None {
                return Err(format!("{}: there is no side “{}”: left, right or centre", told[0], told[1]));
            }
            let of = track(tracks, &told[0])?;
            tracks[of].side = side;
        }
        Ok(())
    }

    /// Distances and places told.
    ///
    /// # Errors
    /// A sentence that names the track.
    pub(super) fn in_room(&self, tracks: &[Track]) -> Result<Vec<Fact>, String> {
        let mut facts = Vec::new();
        for told in self.from_source.chunks(2) {
            facts.push(Fact::FromSource { of: track(tracks, &told[0])?, metres: metres(&told[1])? });
        }
        for told in self.apart.chunks(3) {
            let (of, to) = (track(tracks, &told[0])?, track(tracks, &told[1])?);
            facts.push(Fact::Apart { of, to, metres: metres(&told[2])? });
        }
        for told in self.stands.chunks(3) {
            facts.push(Fact::Stands { of: track(tracks, &told[0])?, at: [metres(&told[1])?, metres(&told[2])?] });
        }
        for fact in &facts {
            fact.check().map_err(|why| format!("{}: {why}", tracks[fact.of()].label))?;
        }
        Ok(facts)
    }
}

fn metres(text: &str) -> Result<f64, String> {
    text.parse().map_err(|_| format!("“{text}” is no length in metres"))
}

/// The track of this name.
fn track(tracks: &[Track], name: &str) -> Result<usize, String> {
    if let Some(of) = tracks.iter().position(|t| t.label == name) {
        return Ok(of);
    }
    let channel = tracks.iter().find(|t| t.label.strip_prefix(name).is_some_and(|rest| rest.starts_with(", channel ")));
    Err(match channel {
        Some(t) => format!("{name} has several channels: say which, as in “{}”", t.label),
        None => format!("there is no {name} in the folder"),
    })
}
