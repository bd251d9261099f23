//! Tracks from file names: role, source, side and set as far as names tell.

use crate::decide::words::{guess, other_takes, same_source};
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
    // Two of one name are the first pair and the second, in the order of the files.
    let halves = |like: usize, side: Side| -> Vec<usize> {
        let (n, g) = (&names, &guesses);
        let same = |k: &usize| {
            n[*k].channels == 1 && g[*k].side == side && g[*k].base == g[like].base && g[*k].role == g[like].role
        };
        (0..names.len()).filter(same).collect()
    };
    let set_of = |i: usize| {
        let n = &names[i];
        if n.channels > 1 {
            return names.iter().position(|o| o.file == n.file);
        }
        let other = match guesses[i].side {
            Side::Left => Side::Right,
            Side::Right => Side::Left,
            _ => return None,
        };
        let nth = halves(i, guesses[i].side).iter().position(|k| *k == i)?;
        halves(i, other).get(nth).map(|o| i.min(*o))
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
    // Takes of one part tell when they were played, not where.
    let take = |t: &Track| tracks.iter().any(|o| other_takes(&t.source, &o.source));
    let at = |t: &Track| matches!(t.role, Role::Near | Role::Direct) && !t.source.is_empty() && !take(t);
    let same = |a: &Track, b: &Track| at(b) && same_source(&a.source, &b.source);
    tracks.iter().map(|t| if at(t) { tracks.iter().position(|o| same(t, o)) } else { None }).collect()
}
