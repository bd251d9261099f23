//! Names of files: cleaned, made safe for the disk, and read.

use marea_session::names::{clean_file_name, disk_name, stem};
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
