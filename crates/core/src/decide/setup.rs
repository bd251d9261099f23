//! Tracks from file names: role, source, side and set as far as names tell.

use crate::decide::words::guess;
use crate::edit::Edit;
use crate::track::{Role, Side, Track};

/// One channel of a file, by name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Named {
    /// File name with its extension.
    pub file: String,
    /// From 1.
    pub channel: u16,
    /// Channels of the file.
    pub channels: u16,
}

/// Tracks as far as their names tell. Channels of a file are one set; so are two files whose names differ only in the side.
pub fn tracks_of(names: &[Named]) -> Vec<Track> {
    let stem = |f: &str| f.rsplit_once('.').map_or(f, |(s, _)| s).to_string();
    let guesses: Vec<_> = names.iter().map(|n| guess(&stem(&n.file), n.channel, n.channels)).collect();
    let set_of = |i: usize| {
        let n = &names[i];
        if n.channels > 1 {
            return names.iter().position(|o| o.file == n.file);
        }
        let g = &guesses[i];
        let half = |k: usize, side: Side| {
            let (o, h) = (&names[k], &guesses[k]);
            o.channels == 1 && h.side == side && h.base == g.base && h.role == g.role
        };
        let wanted = match g.side {
            Side::Left => Side::Right,
            Side::Right => Side::Left,
            _ => return None,
        };
        let other = (0..names.len()).find(|k| half(*k, wanted))?;
        Some(i.min(other))
    };
    names
        .iter()
        .enumerate()
        .map(|(i, n)| Track {
            label: if n.channels > 1 { format!("{}, channel {}", n.file, n.channel) } else { n.file.clone() },
            role: guesses[i].role,
            source: guesses[i].source.clone(),
            side: guesses[i].side,
            policy: None,
            set: set_of(i),
            edit: Edit::default(),
            anchor: false,
            stamped: false,
        })
        .collect()
}

/// For each track a number for the source that its name says it stands at; none where the name says nothing.
pub fn said(tracks: &[Track]) -> Vec<Option<usize>> {
    let at = |t: &Track| matches!(t.role, Role::Near | Role::Direct) && !t.source.is_empty();
    let same = |a: &Track, b: &Track| at(b) && a.source.to_lowercase() == b.source.to_lowercase();
    tracks.iter().map(|t| if at(t) { tracks.iter().position(|o| same(t, o)) } else { None }).collect()
}
