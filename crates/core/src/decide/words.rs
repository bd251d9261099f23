//! What a name lets one guess: role, source and side, from trade words in English, Spanish, Italian, German and French.
//!
//! A guess only: where the sound says something else, the sound is believed.

use crate::track::{Role, Side};

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

/// Words and the role they speak for (common practice, no source). The first list that knows a word of the name decides:
/// a "hall pair" is of the hall.
const ROLES: [(Role, &[&str]); 6] = [
    (
        Role::Room,
        &[
            "room", "rooms", "rm", "hall", "ambience", "ambient", "ambiance", "amb", "ambiente", "ambienti", "sala",
            "salle", "raum", "saal", "halle", "far", "distant", "lejano", "lontano", "fern", "loin", "lointain",
            "audience", "publico", "público", "pubblico", "publikum", "public",
        ],
    ),
    (
        Role::Main,
        &[
            "main",
            "mains",
            "overhead",
            "overheads",
            "oh",
            "ohs",
            "ab",
            "a-b",
            "xy",
            "x-y",
            "ortf",
            "ms",
            "tree",
            "pair",
            "stereo",
            "principal",
            "principale",
            "haupt",
            "hauptmikro",
            "haupt-mikro",
            "couple",
            "par",
            "aereo",
            "aéreo",
            "aereos",
            "aéreos",
            "panoramici",
        ],
    ),
    (
        Role::Direct,
        &[
            "di",
            "direct",
            "pickup",
            "pick-up",
            "line",
            "piezo",
            "contact",
            "diretta",
            "diretto",
            "directo",
            "directa",
            "línea",
            "linea",
            "direkt",
            "tonabnehmer",
            "pastilla",
            "capteur",
            "micro-contact",
            "ligne",
        ],
    ),
    (
        Role::Print,
        &["print", "tape", "return", "cinta", "retorno", "nastro", "ritorno", "bande", "retour", "band", "rückweg"],
    ),
    (Role::Rendered, &["render", "rendered", "midi", "bounce", "sampled", "programmed"]),
    (
        Role::Near,
        &[
            "near",
            "close",
            "spot",
            "front",
            "back",
            "top",
            "bottom",
            "in",
            "out",
            "inside",
            "outside",
            "cerca",
            "cercano",
            "delante",
            "detrás",
            "detras",
            "arriba",
            "abajo",
            "dentro",
            "fuera",
            "vicino",
            "davanti",
            "dietro",
            "sopra",
            "sotto",
            "fuori",
            "nah",
            "nahe",
            "stütze",
            "stutze",
            "vorne",
            "hinten",
            "oben",
            "unten",
            "innen",
            "aussen",
            "außen",
            "proche",
            "appoint",
            "devant",
            "derrière",
            "derriere",
            "dessus",
            "dessous",
            "dedans",
            "dehors",
        ],
    ),
];
const LEFT: [&str; 12] =
    ["l", "left", "links", "li", "izq", "izquierda", "izquierdo", "gauche", "g", "sx", "sinistra", "sinistro"];
const RIGHT: [&str; 12] =
    ["r", "right", "rechts", "re", "der", "derecha", "derecho", "droite", "d", "dx", "destra", "destro"];
const CENTRE: [&str; 9] = ["c", "centre", "center", "centro", "mitte", "milieu", "mid", "mono", "medio"];
/// The other word for a side of the lists above.
fn other_side(word: &str) -> Option<&'static str> {
    const OTHER: [(&str, &str); 12] = [
        ("l", "r"),
        ("left", "right"),
        ("links", "rechts"),
        ("li", "re"),
        ("izq", "der"),
        ("izquierda", "derecha"),
        ("izquierdo", "derecho"),
        ("gauche", "droite"),
        ("g", "d"),
        ("sx", "dx"),
        ("sinistra", "destra"),
        ("sinistro", "destro"),
    ];
    let surround = [("ls", "rs"), ("lb", "rb"), ("ltf", "rtf"), ("ltb", "rtb")];
    OTHER.into_iter().chain(surround).find_map(|(a, b)| match word {
        w if w == a => Some(b),
        w if w == b => Some(a),
        _ => None,
    })
}

/// A name with left and right exchanged, in the letters' own size; none when it names no side. The first word is a name even
/// where it could be a side.
pub fn other_side_name(name: &str) -> Option<String> {
    let mut changed = false;
    let mut out = String::new();
    for (i, word) in name.split_inclusive(|c: char| !c.is_alphanumeric()).enumerate() {
        let bare = word.trim_end_matches(|c: char| !c.is_alphanumeric());
        match other_side(&bare.to_lowercase()).filter(|_| i > 0) {
            Some(other) => {
                changed = true;
                let mut letters = other.chars();
                let first: String = letters.next().into_iter().collect();
                let upper = |s: &str| s.chars().next().is_some_and(char::is_uppercase);
                if bare.chars().count() > 1 && bare.to_uppercase() == bare {
                    out.push_str(&other.to_uppercase());
                } else if upper(bare) {
                    out.push_str(&first.to_uppercase());
                    out.push_str(letters.as_str());
                } else {
                    out.push_str(other);
                }
                out.push_str(&word[bare.len()..]);
            }
            None => out.push_str(word),
        }
    }
    changed.then_some(out)
}

/// Words that name nothing.
const EMPTY: [&str; 15] = [
    "mic", "mics", "micro", "mikro", "mikrofon", "audio", "track", "trk", "pista", "traccia", "spur", "piste", "rec",
    "file", "input",
];

/// Words that, with a number after them, tell one playing of a part from the next.
const TAKES: [&str; 8] = ["take", "tk", "toma", "ripresa", "prise", "aufnahme", "durchgang", "passata"];

/// Are these two playings of one part, by the names of their sources? Then nobody played both at once.
pub fn other_takes(a: &str, b: &str) -> bool {
    let apart = |source: &str| {
        let mut words: Vec<String> = source.split_whitespace().map(str::to_lowercase).collect();
        let digits = |w: &String| w.chars().all(|c| c.is_ascii_digit());
        let at = words.windows(2).position(|w| TAKES.contains(&w[0].as_str()) && digits(&w[1]))?;
        let number = words.drain(at..at + 2).next_back();
        Some((words, number))
    };
    apart(a).zip(apart(b)).is_some_and(|((a, m), (b, n))| a == b && m != n)
}

/// Reads a file's name without its extension, and the channel of an interleaved file.
///
/// "Low" and "front" are places at a source, but "Low drum" is a drum: a place word speaks only beside another word, and it
/// stays in the source's name when it comes first.
pub fn guess(stem: &str, channel: u16, channels: u16) -> Guess {
    let words: Vec<&str> = stem.split(|c: char| !c.is_alphanumeric() && c != '-').filter(|w| !w.is_empty()).collect();
    let lower: Vec<String> = words.iter().map(|w| w.to_lowercase()).collect();
    let is = |w: &str, list: &[&str]| list.contains(&w);
    let role_of = |w: &str| ROLES.iter().find(|(_, list)| is(w, list)).map(|(r, _)| *r);
    let has = |list: &[&str]| lower.iter().skip(1).chain(lower.first().filter(|w| w.len() > 2)).any(|w| is(w, list));
    let mut role = Role::Unknown;
    for (wanted, list) in &ROLES {
        if lower.iter().any(|w| is(w, list)) && (*wanted != Role::Near || words.len() > 1) {
            role = *wanted;
            break;
        }
    }
    let mut side = Side::None;
    if has(&LEFT) {
        side = Side::Left;
    } else if has(&RIGHT) {
        side = Side::Right;
    } else if channels == 2 {
        side = if channel == 1 { Side::Left } else { Side::Right };
    } else if has(&CENTRE) {
        side = Side::Centre;
    }
    let number = |w: &str| w.chars().all(|c| c.is_ascii_digit());
    let side_word = |i: usize, w: &str| (i > 0 || w.len() > 2) && (is(w, &LEFT) || is(w, &RIGHT) || is(w, &CENTRE));
    let mut about = Vec::new();
    let mut base = Vec::new();
    for (i, (word, w)) in words.iter().zip(&lower).enumerate() {
        if !side_word(i, w) {
            base.push(w.as_str());
        }
        let place = match role_of(w) {
            Some(Role::Near) => i > 0,
            Some(_) => true,
            None => false,
        };
        // Two takes are two sources: nobody played both at once.
        let of_take = |i: usize| is(lower.get(i).map_or("", |w| w), &TAKES);
        let take =
            (of_take(i) && lower.get(i + 1).is_some_and(|w| number(w))) || (number(w) && i > 0 && of_take(i - 1));
        if take || (!place && !side_word(i, w) && !number(w) && !is(w, &EMPTY) && !is(w, &TAKES)) {
            about.push(*word);
        }
    }
    let mut source = about.join(" ");
    if matches!(role, Role::Main | Role::Room) {
        source = "everything".into();
    } else if role == Role::Near && source.is_empty() {
        role = Role::Unknown;
    }
    if role == Role::Unknown && !source.is_empty() && channels == 1 {
        role = Role::Near;
    }
    Guess { role, source, side, base: base.join(" ") }
}
