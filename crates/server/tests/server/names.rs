//! Names of files: cleaned, made safe for the disk, and read.

use marea_server::names::{clean_file_name, disk_name, guess, stem};
use std::collections::HashSet;

#[test]
fn names_are_cleaned_for_show() {
    for (raw, shown) in [
        ("Cajón front.wav", "Cajón front.wav"),
        ("C:\\takes\\x.wav", "x.wav"),
        ("../../etc/passwd", "passwd"),
        ("a\u{0}b\n.wav", "ab.wav"),
        ("\u{202e}gpj.wav", "gpj.wav"),
        ("🥁.wav", "🥁.wav"),
        ("...", "unnamed"),
        ("", "unnamed"),
        ("  .  ", "unnamed"),
    ] {
        assert_eq!(clean_file_name(raw), shown, "{raw:?}");
    }
    assert_eq!(clean_file_name(&"é".repeat(300)).chars().count(), 200);
    assert_eq!(
        (stem("a.b.wav"), stem("noext"), stem(".hidden"), stem("v1.final mix")),
        ("a.b", "noext", ".hidden", "v1.final mix")
    );
}

#[test]
fn names_fit_every_disk_and_never_meet() {
    let mut taken = HashSet::new();
    assert_eq!(disk_name("Kick: in/out?", "wav", &mut taken), "Kick_ in_out_.wav");
    assert_eq!(disk_name("x", "wav", &mut taken), "x.wav");
    assert_eq!(disk_name("X", "wav", &mut taken), "X 2.wav", "some disks do not tell case apart");
    assert_eq!(disk_name("x", "wav", &mut taken), "x 3.wav");
    assert_eq!(disk_name("..", "wav", &mut taken), "track.wav");
    assert!(disk_name(&"é".repeat(300), "wav", &mut taken).len() <= 190);
}

/// Words of the trade in five languages (common practice, no source).
#[test]
fn roles_sources_and_sides_are_guessed() {
    for (name, channel, channels, role, source, side) in [
        ("Marimba low", 1, 1, "near", "Marimba", ""),
        ("Cello pickup", 1, 1, "direct", "Cello", ""),
        ("Main pair", 1, 2, "main", "everything", "left"),
        ("Hall pair", 2, 2, "room", "everything", "right"),
        ("OH L", 1, 1, "main", "everything", "left"),
        ("sala dx", 1, 1, "room", "everything", "right"),
        ("Raum links", 1, 1, "room", "everything", "left"),
        ("Bass DI", 1, 1, "direct", "Bass", ""),
        ("Audio 07", 1, 1, "unknown", "", ""),
        ("Marimba tape print", 1, 1, "print", "Marimba", ""),
        ("Choir", 2, 6, "unknown", "Choir", ""),
    ] {
        let g = guess(name, channel, channels);
        assert_eq!((g.role, g.source.as_str(), g.side), (role, source, side), "{name}");
    }
}
