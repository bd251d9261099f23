//! A name taken apart into words: separators, capitals, numbers, words written together.

use super::table::{LEADING_PLACES, Word, meaning, side};
use crate::track::{Role, Side};
use unicode_normalization::UnicodeNormalization;
use unicode_normalization::char::is_combining_mark;

/// What a token is in its name.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// A word of the trade.
    Known(Word),
    /// A number that counts what stands before it.
    Number,
    /// A number in front, or what a recorder or an export puts at the end.
    Aside,
    /// Any other word.
    Other,
}

/// A part of a name.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Token {
    /// As written.
    pub text: String,
    /// Lower case, without accents.
    pub folded: String,
    /// Nothing stands between it and the token before.
    pub joined: bool,
    /// What it is.
    pub kind: Kind,
}

/// Lower case, without accents.
pub fn fold(text: &str) -> String {
    let sharp = text.to_lowercase().replace('ß', "ss");
    sharp.nfd().filter(|c| !is_combining_mark(*c)).collect()
}

struct Piece {
    text: String,
    /// What stands before it; empty where nothing does.
    before: String,
    closed: bool,
}

/// The pieces of a name between separators, and where capitals or digits begin.
fn pieces(name: &str) -> Vec<Piece> {
    let letters: Vec<char> = name.chars().collect();
    let mut found: Vec<Piece> = Vec::new();
    let mut before = String::new();
    for (i, c) in letters.iter().enumerate() {
        if !c.is_alphanumeric() {
            if let Some(last) = found.last_mut().filter(|_| before.is_empty() && *c == ')') {
                last.closed = true;
            }
            before.push(*c);
            continue;
        }
        let last = i.checked_sub(1).map(|k| letters[k]).filter(|l| l.is_alphanumeric());
        let begins = last.is_none_or(|l| {
            let next_low = letters.get(i + 1).is_some_and(|n| n.is_lowercase());
            let leading = found.len() == 1 && found[0].text.chars().all(|d| d.is_ascii_digit());
            (l.is_lowercase() && c.is_uppercase())
                || (l.is_uppercase() && c.is_uppercase() && next_low)
                || (l.is_alphabetic() && c.is_ascii_digit())
                || (l.is_ascii_digit() && (c.is_uppercase() || (leading && c.is_alphabetic())))
        });
        match found.last_mut().filter(|_| !begins) {
            Some(piece) => piece.text.push(*c),
            None => found.push(Piece { text: c.to_string(), before: std::mem::take(&mut before), closed: false }),
        }
    }
    found
}

fn is_number(text: &str) -> bool {
    text.chars().all(|c| c.is_ascii_digit())
}

/// The words of a name with what each stands for.
pub fn tokens(name: &str) -> Vec<Token> {
    let mut pieces = pieces(name);
    let mut asides = (false, false);
    if pieces.len() > 1 && is_number(&pieces[0].text) {
        asides.0 = true;
    }
    // "(2)", "_01" and "-02" at the end are of a recorder or an export; "Tom 2" and "Tom2" are of the name.
    if let Some(last) = pieces.last().filter(|_| pieces.len() > 1 + usize::from(asides.0)) {
        let after_take = pieces.get(pieces.len() - 2).is_some_and(|p| meaning(&fold(&p.text)) == Some(Word::Take));
        let padded = last.text.starts_with('0') && !last.before.is_empty() && last.before != " ";
        let before: Vec<String> = pieces[..pieces.len() - 1].iter().map(|p| fold(&p.text)).collect();
        let phrase = before.len() > 1 && meaning(&before[before.len() - 2..].concat()).is_some();
        let counted = !phrase && before.last().is_some_and(|word| counted(word));
        let closed = last.closed && last.before.ends_with('(');
        asides.1 = is_number(&last.text) && !after_take && ((padded && !counted) || closed);
    }
    let back = asides.1.then(|| pieces.pop()).flatten();
    let mut all: Vec<Token> = Vec::new();
    let aside = |p: &Piece| Token { text: p.text.clone(), folded: fold(&p.text), joined: false, kind: Kind::Aside };
    let mut at = 0;
    if asides.0 {
        all.push(aside(&pieces[0]));
        at = 1;
    }
    while at < pieces.len() {
        at += one(&pieces[at..], &mut all);
    }
    settle(&mut all);
    all.extend(back.as_ref().map(aside));
    all
}

/// What stands between the pieces of one word when it is shown.
fn between(before: &str) -> &str {
    if before.is_empty() || before == "-" { before } else { " " }
}

/// Instruments that a session has several of as a rule: their number is theirs, however it is written.
fn counted(word: &str) -> bool {
    matches!(meaning(word), Some(Word::Part("tom" | "backing" | "violin")))
}

/// Reads one token, or several out of one piece; gives how many pieces it took.
fn one(pieces: &[Piece], all: &mut Vec<Token>) -> usize {
    let token = |text: &str, joined: bool, kind: Kind| Token { text: text.into(), folded: fold(text), joined, kind };
    // "Hi-Hat" and "Floor Tom" are one word in several pieces, and so is what is short and written together.
    for count in (2..=pieces.len().min(3)).rev() {
        let folded: String = pieces[..count].iter().map(|p| fold(&p.text)).collect();
        let close = pieces[1..count].iter().all(|p| p.before.is_empty() || p.before == "-");
        let numbers = pieces[..count].iter().any(|p| is_number(&p.text));
        let sides = pieces[1..count].iter().any(|p| side(&fold(&p.text)).is_some());
        let known = meaning(&folded).filter(|_| !numbers && !sides && (close || folded.len() >= 5));
        if let Some(word) = known {
            let text: String = pieces[..count]
                .iter()
                .enumerate()
                .map(|(i, p)| if i == 0 { p.text.clone() } else { format!("{}{}", between(&p.before), p.text) })
                .collect();
            let mut made = token(&text, pieces[0].before.is_empty(), Kind::Known(word));
            made.folded = folded;
            all.push(made);
            return count;
        }
    }
    // "BDin" and "SnBot" divide elsewhere than at their capitals.
    for count in 2..=pieces.len().min(3) {
        let run = &pieces[..count];
        let folded: String = run.iter().map(|p| fold(&p.text)).collect();
        if run[1..].iter().all(|p| p.before.is_empty())
            && meaning(&fold(&run[0].text)).is_none()
            && compound(&folded).is_some()
        {
            let text: String = run.iter().map(|p| p.text.as_str()).collect();
            let joint = Piece { text, before: run[0].before.clone(), closed: false };
            one(std::slice::from_ref(&joint), all);
            return count;
        }
    }
    let piece = &pieces[0];
    let (folded, joined) = (fold(&piece.text), piece.before.is_empty());
    if is_number(&folded) {
        all.push(token(&piece.text, joined, Kind::Number));
    } else if let Some(word) = meaning(&folded) {
        all.push(token(&piece.text, joined, Kind::Known(word)));
    } else if let Some(cut) = compound(&folded) {
        // Folding keeps the number of letters.
        let letters: Vec<char> = piece.text.chars().collect();
        let cut = folded[..cut].chars().count().min(letters.len());
        for (n, part) in [&letters[..cut], &letters[cut..]].into_iter().enumerate() {
            let text: String = part.iter().collect();
            let word = meaning(&fold(&text)).map_or(Kind::Other, Kind::Known);
            all.push(token(&text, joined || n > 0, word));
        }
    } else {
        all.push(token(&piece.text, joined, Kind::Other));
    }
    1
}

/// Where a word divides that is written together of a word of the trade and a side or a place: `OHL`, `kickout`.
fn compound(folded: &str) -> Option<usize> {
    let ends = |rest: &str| {
        matches!(meaning(rest), Some(Word::Place | Word::Side(_)))
            || matches!(side(rest), Some(Side::Left | Side::Right))
    };
    let begins = |word: &str| matches!(meaning(word), Some(Word::Part(_) | Word::Role(_) | Word::Technique));
    let cuts = folded.char_indices().map(|(i, _)| i).filter(|i| *i >= 2);
    cuts.rev().find(|i| begins(&folded[..*i]) && ends(&folded[*i..]))
}

/// What depends on the words beside: single letters, sides that come first, places that are a name.
fn settle(all: &mut [Token]) {
    let first = all.iter().position(|t| t.kind != Kind::Aside).unwrap_or(0);
    let place = |t: Option<&Token>| t.is_some_and(|t| matches!(t.kind, Kind::Known(Word::Place)));
    for i in 0..all.len() {
        let next = all.get(i + 1);
        let hears_all = |t: &Token| matches!(t.kind, Kind::Known(Word::Role(Role::Main | Role::Room)));
        let part = |t: &Token| matches!(t.kind, Kind::Known(Word::Part(_)));
        let kind = match all[i].kind {
            // "K in" is a bass drum's.
            Kind::Other if all[i].folded == "k" && place(next) => Kind::Known(Word::Part("kick")),
            // "RT" after a word is right; in front it is a tom.
            Kind::Known(Word::Part(_)) if i > first && all[i].folded == "rt" => Kind::Known(Word::Side(Side::Right)),
            Kind::Known(Word::Side(_)) if i == first && all[i].folded.len() <= 2 && !next.is_some_and(hears_all) => {
                Kind::Other
            }
            // A place in front is part of the name, unless it plainly belongs to an instrument.
            Kind::Known(Word::Place) if i == first => {
                match LEADING_PLACES.contains(&all[i].folded.as_str()) && next.is_some_and(part) {
                    true => Kind::Known(Word::Place),
                    false => Kind::Other,
                }
            }
            kind => kind,
        };
        all[i].kind = kind;
    }
}
