//! How people write the names of a set's microphones: spellings, languages, numbers in front, suffixes.

use super::kit::Part;
use rand::Rng;
use rand_chacha::ChaCha8Rng;

/// What a session is made for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kind {
    /// Eleven mono files with numbered names, one microphone a drum, nothing wrong.
    Clean,
    /// Anything, as the seed will have it.
    Any,
}

/// A microphone of a set.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Seat {
    /// At a part; the second one at it stands inside (of two at a bass drum), below, or outside.
    At(Part, Second),
    /// Over the set: left, right.
    Over(bool),
    /// Pair number and side; a single one in the room.
    Room(usize, Option<bool>),
    /// Electrical, of the bass or the guitar.
    Direct(bool),
    /// At the amplifier of the bass or the guitar.
    Amp(bool),
}

/// Which of two microphones at a part.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Second {
    /// The only one.
    No,
    /// The first of two: inside, on top.
    First,
    /// Below.
    Below,
    /// Outside.
    Outside,
}

/// One way of writing names.
#[derive(Debug, Clone, Copy)]
pub struct Style {
    words: usize,
    joined: bool,
    separator: &'static str,
    numbers: bool,
    suffix: &'static str,
    letters: usize,
}

impl Style {
    /// Drawn from what is usual (common practice, no source).
    pub fn any(rng: &mut ChaCha8Rng) -> Self {
        let words = rng.random_range(0..7);
        Self {
            words,
            joined: words < 3 && rng.random_bool(0.3),
            separator: [" ", " ", "_", "-", "."][rng.random_range(0..5)],
            numbers: rng.random_bool(0.6),
            suffix: ["", "", "", "_01", "-02", " (2)"][rng.random_range(0..6)],
            letters: rng.random_range(0..4),
        }
    }

    /// English words apart, with a number in front.
    pub fn plain() -> Self {
        Self { words: 0, joined: false, separator: " ", numbers: true, suffix: "", letters: 2 }
    }

    /// The file name of a seat, as the `n`-th of the session.
    pub fn file(&self, seat: Seat, n: usize) -> String {
        let words = self.words(seat);
        let written: Vec<String> = words.iter().map(|w| self.cased(w)).collect();
        let name = if self.joined { written.concat() } else { written.join(self.separator) };
        let number = if self.numbers {
            format!("{:02}{}", n + 1, if self.separator == "." { " " } else { self.separator })
        } else {
            String::new()
        };
        format!("{number}{name}{}.wav", self.suffix)
    }

    fn cased(&self, word: &str) -> String {
        match self.letters {
            0 if !self.joined => word.to_lowercase(),
            1 if !self.joined => word.to_uppercase(),
            _ => word.to_string(),
        }
    }

    fn words(&self, seat: Seat) -> Vec<String> {
        let t = &TABLE[self.words];
        let split = |s: &str| s.split(' ').map(String::from).collect::<Vec<_>>();
        match seat {
            Seat::At(part, second) => {
                let mut name = match part {
                    Part::Kick => split(t.kick),
                    Part::Snare => split(t.snare),
                    Part::Hat => split(t.hat),
                    Part::Tom(n) => {
                        let mut w = split(t.tom);
                        let last = w.pop().unwrap_or_default();
                        w.push(if self.joined || self.letters == 3 {
                            format!("{last}{}", n + 1)
                        } else {
                            format!("{last} {}", n + 1).replace(' ', self.separator)
                        });
                        w
                    }
                    Part::Floor => split(t.floor),
                    Part::Ride => split(t.ride),
                    Part::Crash => split(t.crash),
                };
                let place = match (part, second) {
                    (_, Second::No) => None,
                    (Part::Kick, Second::First) => Some(t.inside),
                    (_, Second::First) => Some(t.top),
                    (_, Second::Below) => Some(t.below),
                    (_, Second::Outside) => Some(t.outside),
                };
                name.extend(place.map(String::from));
                name
            }
            Seat::Over(left) => vec![t.over.into(), t.sides[usize::from(!left)].into()],
            Seat::Room(n, side) => {
                let mut w = split(t.rooms[n]);
                w.extend(match side {
                    Some(left) => Some(t.sides[usize::from(!left)].to_string()),
                    None => Some("Mono".into()),
                });
                w
            }
            Seat::Direct(bass) => vec![if bass { "Bass" } else { t.guitar }.into(), "DI".into()],
            Seat::Amp(bass) => vec![if bass { "Bass" } else { t.guitar }.into(), "Amp".into()],
        }
    }
}

struct Words {
    kick: &'static str,
    snare: &'static str,
    hat: &'static str,
    tom: &'static str,
    floor: &'static str,
    ride: &'static str,
    crash: &'static str,
    inside: &'static str,
    outside: &'static str,
    top: &'static str,
    below: &'static str,
    over: &'static str,
    rooms: [&'static str; 3],
    sides: [&'static str; 2],
    guitar: &'static str,
}

const TABLE: [Words; 7] = [
    Words {
        kick: "Kick",
        snare: "Snare",
        hat: "Hat",
        tom: "Tom",
        floor: "Floor Tom",
        ride: "Ride",
        crash: "Crash",
        inside: "In",
        outside: "Out",
        top: "Top",
        below: "Btm",
        over: "OH",
        rooms: ["Room", "Room Far", "Room Crush"],
        sides: ["L", "R"],
        guitar: "Gtr",
    },
    Words {
        kick: "Kick",
        snare: "Snare",
        hat: "HiHat",
        tom: "Tom",
        floor: "Floor",
        ride: "Ride",
        crash: "Crash",
        inside: "In",
        outside: "Out",
        top: "Top",
        below: "Bottom",
        over: "Overhead",
        rooms: ["Rm", "Rm Far", "Amb"],
        sides: ["L", "R"],
        guitar: "Guitar",
    },
    Words {
        kick: "BD",
        snare: "SN",
        hat: "HH",
        tom: "RT",
        floor: "FT",
        ride: "RD",
        crash: "CR",
        inside: "In",
        outside: "Out",
        top: "Top",
        below: "Bot",
        over: "Ovhd",
        rooms: ["Amb", "Room", "Hall"],
        sides: ["L", "R"],
        guitar: "EGtr",
    },
    Words {
        kick: "Bassdrum",
        snare: "Snare",
        hat: "Hi-Hat",
        tom: "Tom",
        floor: "Standtom",
        ride: "Ride",
        crash: "Crash",
        inside: "innen",
        outside: "aussen",
        top: "oben",
        below: "unten",
        over: "Overhead",
        rooms: ["Raum", "Raum fern", "Saal"],
        sides: ["links", "rechts"],
        guitar: "Gitarre",
    },
    Words {
        kick: "Bombo",
        snare: "Caja",
        hat: "Charles",
        tom: "Tom",
        floor: "Timbal base",
        ride: "Ride",
        crash: "Crash",
        inside: "dentro",
        outside: "fuera",
        top: "arriba",
        below: "abajo",
        over: "Aéreo",
        rooms: ["Sala", "Sala lejano", "Ambiente"],
        sides: ["izq", "der"],
        guitar: "Guitarra",
    },
    Words {
        kick: "Cassa",
        snare: "Rullante",
        hat: "Charleston",
        tom: "Tom",
        floor: "Timpano",
        ride: "Ride",
        crash: "Crash",
        inside: "dentro",
        outside: "fuori",
        top: "sopra",
        below: "sotto",
        over: "Panoramico",
        rooms: ["Sala", "Sala lontano", "Ambiente"],
        sides: ["sx", "dx"],
        guitar: "Chitarra",
    },
    Words {
        kick: "Grosse caisse",
        snare: "Caisse claire",
        hat: "Charley",
        tom: "Tom",
        floor: "Tom basse",
        ride: "Ride",
        crash: "Crash",
        inside: "dedans",
        outside: "dehors",
        top: "dessus",
        below: "dessous",
        over: "Overhead",
        rooms: ["Salle", "Salle loin", "Ambiance"],
        sides: ["gauche", "droite"],
        guitar: "Guitare",
    },
];
