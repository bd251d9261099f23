//! Names of files and what they tell: cleaned for show and for the disk, and read for role, source and side.

use std::collections::HashSet;

/// A client's file name as it may be shown: the part after the last separator, without control and direction
/// characters, at most 200 characters.
pub fn clean_file_name(raw: &str) -> String {
    let base = raw.rsplit(['/', '\\']).next().unwrap_or("");
    let shown: String = base.chars().filter(|c| !is_hidden(*c)).take(200).collect();
    let shown = shown.trim().trim_matches('.').trim().to_string();
    if shown.is_empty() { "unnamed".into() } else { shown }
}

/// Control characters and those that turn the writing direction (an extension can be hidden with them).
fn is_hidden(c: char) -> bool {
    c.is_control()
        || matches!(c, '\u{200b}'..='\u{200f}' | '\u{202a}'..='\u{202e}' | '\u{2066}'..='\u{2069}' | '\u{feff}')
}

/// The name without its extension.
pub fn stem(file_name: &str) -> &str {
    match file_name.rsplit_once('.') {
        Some((stem, ext)) if !stem.is_empty() && ext.len() <= 5 => stem,
        _ => file_name,
    }
}

/// A name for a delivered file that every file system takes, different from those in `taken`.
pub fn disk_name(name: &str, extension: &str, taken: &mut HashSet<String>) -> String {
    let safe: String =
        name.chars().filter(|c| !is_hidden(*c)).map(|c| if "/\\:*?\"<>|".contains(c) { '_' } else { c }).collect();
    // File systems count bytes: 255 is common, and room is needed for number and extension.
    let mut base = String::new();
    for c in safe.trim().trim_matches('.').chars() {
        if base.len() + c.len_utf8() > 180 {
            break;
        }
        base.push(c);
    }
    if base.is_empty() {
        base.push_str("track");
    }
    let mut candidate = format!("{base}.{extension}");
    let mut n = 2;
    while !taken.insert(candidate.to_lowercase()) {
        candidate = format!("{base} {n}.{extension}");
        n += 1;
    }
    candidate
}

/// What a name lets one guess.
#[derive(Debug, Clone, PartialEq, Eq)]
pub struct Guess {
    /// near, main, room, direct, print, rendered or unknown.
    pub role: &'static str,
    /// What was heard; empty when the name does not say.
    pub source: String,
    /// left, right, centre or empty.
    pub side: &'static str,
}

/// Words in a name and the role they speak for (common practice, no source).
const ROLES: [(&str, &[&str]); 6] = [
    ("main", &["main", "overhead", "overheads", "oh", "ohs", "ab", "ortf", "decca", "haupt", "principal"]),
    ("room", &["room", "hall", "ambience", "ambient", "amb", "sala", "salle", "raum", "far", "audience"]),
    ("direct", &["di", "direct", "pickup", "pick-up", "line", "piezo", "contact", "diretta", "directo"]),
    ("print", &["print", "tape", "return", "cinta", "nastro", "bande", "band"]),
    ("rendered", &["render", "rendered", "midi", "bounce", "sampled"]),
    (
        "near",
        &[
            "near", "close", "spot", "front", "back", "top", "bottom", "in", "out", "low", "high", "cerca", "vicino",
            "nah",
        ],
    ),
];

/// Reads a file's stem and the channel of an interleaved file.
pub fn guess(stem: &str, channel: u16, channels: u16) -> Guess {
    let words: Vec<&str> = stem.split(|c: char| !c.is_alphanumeric() && c != '-').filter(|w| !w.is_empty()).collect();
    let lower: Vec<String> = words.iter().map(|w| w.to_lowercase()).collect();
    let has = |list: &[&str]| lower.iter().any(|w| list.contains(&w.as_str()));
    let role = ROLES.iter().find(|(_, list)| has(list)).map_or("unknown", |(role, _)| role);
    let mut side = "";
    if has(&["l", "left", "links", "izq", "gauche", "sx"]) {
        side = "left";
    } else if has(&["r", "right", "rechts", "der", "droite", "dx"]) {
        side = "right";
    } else if channels == 2 {
        side = if channel == 1 { "left" } else { "right" };
    }
    let about: Vec<&str> = words
        .iter()
        .zip(&lower)
        .filter(|(_, w)| {
            let is_role = ROLES.iter().any(|(_, list)| list.contains(&w.as_str()));
            let is_plain = w.chars().all(|c| c.is_ascii_digit())
                || ["l", "r", "left", "right", "pair", "mic", "audio", "track"].contains(&w.as_str());
            !is_role && !is_plain
        })
        .map(|(w, _)| *w)
        .collect();
    let source = if matches!(role, "main" | "room") { "everything".into() } else { about.join(" ") };
    let role = if role == "unknown" && !source.is_empty() && channels == 1 { "near" } else { role };
    Guess { role, source, side }
}
