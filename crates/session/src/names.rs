//! Names of files and what they tell: cleaned for show and for the disk, and read for role, source and side.

use std::collections::HashSet;
use unicode_normalization::UnicodeNormalization;

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

/// Names that some file systems keep for devices, whatever follows the first dot (Microsoft, Naming Files, Paths, and
/// Namespaces).
fn is_device(name: &str) -> bool {
    let stem = name.split('.').next().unwrap_or("").trim_end().to_uppercase();
    let numbered = |prefix: &str| {
        stem.strip_prefix(prefix)
            .is_some_and(|n| matches!(n, "0" | "1" | "2" | "3" | "4" | "5" | "6" | "7" | "8" | "9" | "¹" | "²" | "³"))
    };
    matches!(stem.as_str(), "CON" | "PRN" | "AUX" | "NUL" | "CONIN$" | "CONOUT$") || numbered("COM") || numbered("LPT")
}

/// The same for names that a file system may not tell apart: case and Unicode form do not count.
fn alike(name: &str) -> String {
    name.nfkd().flat_map(char::to_lowercase).nfkd().collect()
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
    if is_device(&base) {
        // In front: what follows a dot does not make it another name.
        base.insert(0, '_');
    }
    let mut candidate = format!("{base}.{extension}");
    let mut n = 2;
    while !taken.insert(alike(&candidate)) {
        candidate = format!("{base} {n}.{extension}");
        n += 1;
    }
    candidate
}
