//! What a name lets one guess: role, source and side, from trade words in English, Spanish, Italian, German and French.
//!
//! A guess only: where the sound says something else, the sound is believed.

mod table;
mod tokens;

use crate::track::{Role, Side};
use table::{Word, meaning, other_side};
use tokens::{Kind, Token, fold, tokens};

/// What a name says.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Guess {
    /// Role; unknown when the name does not say.
    pub role: Role,
    /// What was heard; empty when the name does not say.
    pub source: String,
    /// Side.
    pub side: Side,
    /// The name without side words, the same for both halves of a pair.
    pub base: String,
}

/// A name with left and right exchanged, in the letters' own size; none when it names no side. The first word is a name even
/// where it could be a side.
pub fn other_side_name(name: &str) -> Option<String> {
    let (mut out, mut rest, mut changed) = (String::new(), name, false);
    let all = tokens(name);
    let first = all.iter().position(|t| t.kind != Kind::Aside);
    for (i, t) in all.iter().enumerate() {
        let Some((before, after)) = rest.split_once(&t.text) else { continue };
        out.push_str(before);
        rest = after;
        match other_side(&t.folded).filter(|_| Some(i) > first) {
            Some(other) => {
                changed = true;
                out.push_str(&as_large(other, &t.text));
            }
            None => out.push_str(&t.text),
        }
    }
    out.push_str(rest);
    changed.then_some(out)
}

/// A word in capitals where `like` is, or with a capital in front.
fn as_large(word: &str, like: &str) -> String {
    if like.chars().all(char::is_uppercase) {
        word.to_uppercase()
    } else if like.starts_with(char::is_uppercase) {
        let mut letters = word.chars();
        letters.next().into_iter().flat_map(char::to_uppercase).chain(letters).collect()
    } else {
        word.into()
    }
}

/// Are these two playings of one part, by the names of their sources? Then nobody played both at once.
pub fn other_takes(a: &str, b: &str) -> bool {
    let apart = |source: &str| {
        let mut words: Vec<String> = source.split_whitespace().map(str::to_lowercase).collect();
        let digits = |w: &String| w.chars().all(|c| c.is_ascii_digit());
        let at = words.windows(2).position(|w| meaning(&fold(&w[0])) == Some(Word::Take) && digits(&w[1]))?;
        let number = words.drain(at..at + 2).next_back();
        Some((words, number))
    };
    apart(a).zip(apart(b)).is_some_and(|((a, m), (b, n))| a == b && m != n)
}

/// Reads a file's name without its extension, and the channel of an interleaved file.
///
/// "Top" and "front" are places at a source, but "Front drum" is a drum: a place speaks only beside another word, and it stays in the
/// source's name when it comes first. A number after an instrument tells one player from the next, after a place one microphone from
/// the next; one in front, or padded at the end, is nobody's.
pub fn guess(stem: &str, channel: u16, channels: u16) -> Guess {
    let all = tokens(stem);
    let has = |w: Word| all.iter().any(|t| t.kind == Kind::Known(w));
    let named = all.iter().any(|t| matches!(t.kind, Kind::Known(Word::Part(_))));
    let mut role = [Role::Room, Role::Main, Role::Direct, Role::Print, Role::Rendered]
        .into_iter()
        .find(|r| has(Word::Role(*r)) || (*r == Role::Main && !named && has(Word::Technique)))
        .unwrap_or(if has(Word::Place) && all.len() > 1 { Role::Near } else { Role::Unknown });
    let side = match () {
        () if has(Word::Side(Side::Left)) => Side::Left,
        () if has(Word::Side(Side::Right)) => Side::Right,
        () if channels == 2 => [Side::Left, Side::Right][usize::from(channel != 1)],
        () if has(Word::Side(Side::Centre)) => Side::Centre,
        () => Side::None,
    };
    let source = if matches!(role, Role::Main | Role::Room) { "everything".into() } else { about(&all) };
    if role == Role::Near && source.is_empty() {
        role = Role::Unknown;
    }
    if role == Role::Unknown && !source.is_empty() && channels == 1 {
        role = Role::Near;
    }
    if named && role == Role::Unknown && channels == 2 && has(Word::Technique) {
        role = Role::Near;
    }
    Guess { role, source, side, base: base(&all) }
}

/// What a name says was heard, in its own words.
fn about(all: &[Token]) -> String {
    let mut out = String::new();
    let mut last_kept = false;
    for (i, t) in all.iter().enumerate() {
        let before = i.checked_sub(1).map(|k| all[k].kind);
        let keeps = match t.kind {
            Kind::Other | Kind::Known(Word::Part(_)) => true,
            // Two takes are two sources: nobody played both at once.
            Kind::Known(Word::Take) => all.get(i + 1).is_some_and(|n| n.kind == Kind::Number),
            Kind::Number => before.is_some_and(|b| matches!(b, Kind::Other | Kind::Known(Word::Part(_) | Word::Take))),
            _ => false,
        };
        if keeps {
            if !(out.is_empty() || (t.joined && last_kept)) {
                out.push(' ');
            }
            out.push_str(&t.text);
        }
        last_kept = keeps;
    }
    out
}

/// The words that both halves of a pair share.
fn base(all: &[Token]) -> String {
    let keeps =
        |t: &&Token| !matches!(t.kind, Kind::Aside | Kind::Known(Word::Side(Side::Left | Side::Right) | Word::Empty));
    all.iter().filter(keeps).map(one_word).collect::<Vec<_>>().join(" ")
}

fn one_word(t: &Token) -> String {
    match t.kind {
        Kind::Known(Word::Part(part)) => part.into(),
        Kind::Number => t.folded.trim_start_matches('0').into(),
        _ => t.folded.clone(),
    }
}

/// Do two names of sources mean the same? `BD` and `Kick` do, `Tom 1` and `Tom 2` do not.
pub fn same_source(a: &str, b: &str) -> bool {
    let key = |s: &str| tokens(s).iter().filter(|t| t.kind != Kind::Aside).map(one_word).collect::<Vec<_>>();
    fold(a) == fold(b) || key(a) == key(b)
}
