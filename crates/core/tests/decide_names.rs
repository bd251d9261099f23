//! What names let one guess, and what is said where a half is missing.

mod common;

use common::stage::table;
use marea_core::decide::kind::Kind;
use marea_core::decide::{Named, decide, guess, other_side_name, said, same_source, tracks_of};
use marea_core::track::Role;
use marea_core::track::Side;

/// Trade words in five languages (common practice, no source).
#[test]
fn names_tell_roles_sources_and_sides() {
    for (name, channel, channels, role, source, side) in [
        ("Marimba low", 1, 1, Role::Near, "Marimba low", Side::None),
        ("Low drum", 1, 1, Role::Near, "Low drum", Side::None),
        ("Low drum front", 1, 1, Role::Near, "Low drum", Side::None),
        ("Cello pickup", 1, 1, Role::Direct, "Cello", Side::None),
        ("Main pair", 1, 2, Role::Main, "everything", Side::Left),
        ("Hall pair", 2, 2, Role::Room, "everything", Side::Right),
        ("OH L", 1, 1, Role::Main, "everything", Side::Left),
        ("Sala der", 1, 1, Role::Room, "everything", Side::Right),
        ("sala dx", 1, 1, Role::Room, "everything", Side::Right),
        ("Raum links", 1, 1, Role::Room, "everything", Side::Left),
        ("Salle gauche", 1, 1, Role::Room, "everything", Side::Left),
        ("Couple droite", 1, 1, Role::Main, "everything", Side::Right),
        ("Principale sinistra", 1, 1, Role::Main, "everything", Side::Left),
        ("Haupt rechts", 1, 1, Role::Main, "everything", Side::Right),
        ("Bombo dentro", 1, 1, Role::Near, "Bombo", Side::None),
        ("Chitarra vicino", 1, 1, Role::Near, "Chitarra", Side::None),
        ("Bratsche nah", 1, 1, Role::Near, "Bratsche", Side::None),
        ("Alto proche", 1, 1, Role::Near, "Alto", Side::None),
        ("Bass DI", 1, 1, Role::Direct, "Bass", Side::None),
        ("Audio 07", 1, 1, Role::Unknown, "", Side::None),
        ("Marimba tape print", 1, 1, Role::Print, "Marimba", Side::None),
        ("Choir", 2, 6, Role::Unknown, "Choir", Side::None),
        ("Flute take 2", 1, 1, Role::Near, "Flute take 2", Side::None),
        ("Flauta toma 3", 1, 1, Role::Near, "Flauta toma 3", Side::None),
        ("Flute take", 1, 1, Role::Near, "Flute", Side::None),
    ] {
        let g = guess(name, channel, channels);
        assert_eq!((g.role, g.source.as_str(), g.side), (role, source, side), "{name}");
    }
}

/// Nearly three hundred names as people write them (common practice, no source).
#[test]
fn names_of_the_trade_are_understood() {
    let table = include_str!("names.csv");
    let lines: Vec<&str> = table.lines().filter(|l| !l.starts_with('#')).collect();
    assert!(lines.len() >= 200);
    for line in lines {
        let fields: Vec<&str> = line.split(';').collect();
        let g = guess(fields[0], 1, 1);
        assert_eq!((g.role.word(), g.source.as_str(), g.side.word()), (fields[1], fields[2], fields[3]), "{line}");
    }
}

#[test]
fn sources_are_the_same_by_their_meaning() {
    for (a, b, same) in [
        ("BD", "Kick", true),
        ("SN", "Snare", true),
        ("Hi-Hat", "HH", true),
        ("Tom 1", "tom1", true),
        ("Tom 01", "Tom 1", true),
        ("Tom 1", "Tom 2", false),
        ("Gtr 1", "Guitar 2", false),
        ("BV 1", "BV 2", false),
        ("Rack Tom", "Floor Tom", false),
        ("Marimba low", "Marimba high", false),
    ] {
        assert_eq!(same_source(a, b), same, "{a}, {b}");
    }
}

/// Two mono files whose names differ by a side word only; what a recorder puts before and after does not count.
#[test]
fn mono_files_pair_by_name() {
    for (a, b, pair) in [
        ("08 OH L", "09 OH R", true),
        ("OHL", "OHR", true),
        ("OH-L", "OH-R", true),
        ("OH.L", "OH.R", true),
        ("RmL_01", "RmR_01", true),
        ("room far left", "Room Far Right", true),
        ("3_Overhead_L-02", "4_Overhead_R-02", true),
        ("Raum fern links", "Raum fern rechts", true),
        ("Aéreo izq", "Aereo der", true),
        ("Salle gauche (2)", "Salle droite (2)", true),
        ("Room 1 L", "Room 2 R", false),
        ("OH L", "Room R", false),
        ("Tom L", "Tom L", false),
        ("Kick", "Snare", false),
    ] {
        let name = |stem: &str| Named { file: format!("{stem}.wav"), channel: 1, channels: 1 };
        let t = tracks_of(&[name(a), name(b)]);
        let expected = if pair { [Some(0), Some(0)] } else { [None, None] };
        assert_eq!([t[0].set, t[1].set], expected, "{a}, {b}");
    }
    let name = |stem: &str| Named { file: format!("{stem}.wav"), channel: 1, channels: 1 };
    let twice = tracks_of(&["OH L_01", "OH R_01", "OH L_02", "OH R_02"].map(name));
    assert_eq!(twice.iter().map(|t| t.set).collect::<Vec<_>>(), [Some(0), Some(0), Some(2), Some(2)]);
}

#[test]
fn names_make_sets_and_say_who_stands_together() {
    let name = |file: &str, channel, channels| Named { file: file.into(), channel, channels };
    let t = tracks_of(&[
        name("Hall.wav", 1, 2),
        name("Hall.wav", 2, 2),
        name("OH links.wav", 1, 1),
        name("OH rechts.wav", 1, 1),
        name("Cello near.wav", 1, 1),
        name("Cello pickup.wav", 1, 1),
        name("Audio 07.wav", 1, 1),
        name("Room L.wav", 1, 1),
    ]);
    let sets: Vec<Option<usize>> = t.iter().map(|t| t.set).collect();
    assert_eq!(sets, [Some(0), Some(0), Some(2), Some(2), None, None, None, None]);
    assert_eq!(said(&t), [None, None, None, None, Some(4), Some(4), None, None]);
    let c = decide(&table(Vec::new(), t.len()), &t);
    assert!(
        c.findings.iter().any(|f| f.kind == Kind::ChannelMissing && f.about.tracks == [7]),
        "the right half is missing"
    );
}

#[test]
fn names_change_sides() {
    for (name, other) in [
        ("Main pair L", Some("Main pair R")),
        ("Hall left", Some("Hall right")),
        ("Sala izq", Some("Sala der")),
        ("Couple GAUCHE 2", Some("Couple DROITE 2")),
        ("Haupt Links", Some("Haupt Rechts")),
        ("Hall 5.1 Ls", Some("Hall 5.1 Rs")),
        ("OHL", Some("OHR")),
        ("08_RmL-01", Some("08_RmR-01")),
        ("Left drum", None),
        ("L", None),
        ("Cello near", None),
    ] {
        assert_eq!(other_side_name(name).as_deref(), other, "{name}");
        if let Some(other) = other {
            assert_eq!(other_side_name(other).as_deref(), Some(name), "twice is back");
        }
    }
}
