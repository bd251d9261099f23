//! The chart of the stage: to scale, the right way round, with its spread; and what typed distances add.

mod common;

use common::rate;
use common::stage::Stage;
use marea_core::decide::decide;
use marea_core::decide::kind::Kind;
use marea_core::decide::stage::{SettledBy, Stand};
use marea_core::measure::arrival::Late;
use marea_core::measure::places::{place, with_facts};
use marea_core::measure::stage::Fact;
use marea_core::track::Role;
use marea_core::track::Side;

fn apart(a: [f64; 3], b: [f64; 3]) -> f64 {
    (0..3).map(|i| (a[i] - b[i]).powi(2)).sum::<f64>().sqrt()
}

/// Sources stand from left to right at y of about 5, pairs before them at smaller y: right is x, front is −y.
fn truth(s: &Stage, of: [f64; 3]) -> [f64; 2] {
    let n = s.sources.len() as f64;
    let mean = [0, 1].map(|a| s.sources.iter().map(|p| p[a]).sum::<f64>() / n);
    [of[0] - mean[0], mean[1] - of[1]]
}

/// By how much the chart is turned against the truth: sides tell right and left, not to the degree.
fn turn(s: &Stage, told: &[Option<Stand>]) -> f64 {
    let (mut along, mut across) = (0.0, 0.0);
    for (source, stand) in s.sources.iter().zip(told) {
        let (t, stand) = (truth(s, *source), stand.unwrap());
        along += t[0] * stand.right_m + t[1] * stand.front_m;
        across += t[1] * stand.right_m - t[0] * stand.front_m;
    }
    across.atan2(along)
}

fn off(stand: &Stand, turn: f64, truth: [f64; 2]) -> f64 {
    let right = stand.right_m * turn.cos() - stand.front_m * turn.sin();
    let front = stand.right_m * turn.sin() + stand.front_m * turn.cos();
    (right - truth[0]).hypot(front - truth[1])
}

/// With pairs named left and right everything stands where it is, the right way round; nearly always within three deviations.
#[test]
fn the_chart_is_to_scale_and_the_right_way_round() {
    let (mut all, mut within) = (0, 0);
    for seed in 0..12 {
        let s = Stage::new(6, seed);
        let stage = s.check().stage.unwrap();
        assert_eq!((stage.sides_by, stage.front_by), (SettledBy::Sides, SettledBy::Far), "seed {seed}");
        let turn = turn(&s, &stage.sources);
        assert!(turn.abs() < 0.25, "seed {seed}: turned by {turn:.2}");
        for (i, source) in s.sources.iter().enumerate() {
            let stand = stage.sources[i].unwrap();
            let far = off(&stand, turn, truth(&s, *source));
            assert!(far < 0.3, "seed {seed}, source {i}: {far:.2} m off");
            (all, within) = (all + 1, within + usize::from(far < 3.0 * stand.ellipse_m[0].max(0.03)));
        }
        for (m, mic) in s.mics.iter().enumerate() {
            let stand = stage.tracks[m].unwrap();
            let (far, sure) = (off(&stand, turn, truth(&s, *mic)), stand.ellipse_m[0]);
            assert!(far < 0.5_f64.max(4.0 * sure), "seed {seed}, microphone {m}: {far:.2} m off, told {sure:.2}");
        }
    }
    assert!(within * 10 >= all * 8, "{within} of {all} within three deviations");
}

/// Without any side named the chart may be a mirror image, and says so.
#[test]
fn without_sides_it_says_that_it_may_be_mirrored() {
    let mut s = Stage::new(5, 3);
    for t in &mut s.tracks {
        (t.side, t.set) = (Side::None, None);
    }
    assert_eq!(s.check().stage.unwrap().sides_by, SettledBy::Nothing);
}

/// Known distances make latencies surer: of a microphone at its source, and of two to one another.
#[test]
fn typed_distances_make_latencies_surer() {
    let mut surer = 0;
    for seed in 0..8 {
        let mut s = Stage::new(4, seed);
        s.late[2] = 150.0;
        let table = s.table();
        let Late { frames, sigma_frames: before, .. } = table.late[2].unwrap();
        // Four sources alone do not always tell it.
        if frames == 0.0 {
            continue;
        }
        let mut facts: Vec<Fact> =
            (0..4).map(|m| Fact::FromSource { of: m, metres: apart(s.sources[m], s.mics[m]) }).collect();
        facts.extend((0..2).map(|m| Fact::Apart { of: m, to: m + 1, metres: apart(s.mics[m], s.mics[m + 1]) }));
        let known = with_facts(&table, &s.roles(), &facts);
        let Late { frames, sigma_frames: after, .. } = known.late[2].unwrap();
        assert!((frames - 150.0).abs() < 19.2, "seed {seed}: {frames}");
        assert!(after <= before * 1.01, "seed {seed}: {before} before, {after} after");
        surer += usize::from(after < 0.8 * before);
        let places = known.places.unwrap();
        let [a, b] = [0, 1].map(|m| places.tracks[m].unwrap().at);
        let typed = apart(s.mics[0], s.mics[1]);
        assert!((apart(a, b) - typed).abs() < 0.05, "seed {seed}: {} instead of {typed}", apart(a, b));
        assert_eq!(places.facts, facts);
    }
    assert!(surer >= 5, "{surer} of 8 surer");
}

/// Of a room nothing is said; a typed distance tells.
#[test]
fn a_room_is_late_only_where_a_distance_says_so() {
    let mut s = Stage::new(6, 4);
    let room = s.tracks.iter().position(|t| t.role == Role::Room).unwrap();
    s.late[room] = 240.0;
    let told =
        |c: &marea_core::decide::Check| c.findings.iter().any(|f| f.kind == Kind::Late && f.about.tracks == [room]);
    let table = s.table();
    let facts: Vec<Fact> =
        (0..3).map(|to| Fact::Apart { of: room, to, metres: apart(s.mics[room], s.mics[to]) }).collect();
    assert!(!told(&decide(&table, &s.tracks)), "the sound alone does not tell");
    let known = with_facts(&table, &s.roles(), &facts);
    let c = decide(&known, &s.tracks);
    assert!(told(&c), "typed distances tell it");
    let text = &c.findings.iter().find(|f| f.kind == Kind::Late && f.about.tracks == [room]).unwrap().text;
    let named =
        format!("{} and {} {:.2} m apart", s.tracks[room].label, s.tracks[0].label, apart(s.mics[room], s.mics[0]));
    assert!(text.contains("This rests on what was typed") && text.contains(&named), "{text}");
    assert!((c.tracks[room].latency_frames - 240.0).abs() < 2.0 * 19.2, "{}", c.tracks[room].latency_frames);
}

/// Places that were typed turn the chart to where they were measured, and hold the distances between them.
#[test]
fn typed_places_turn_the_chart() {
    let s = Stage::new(5, 6);
    let table = s.table();
    // Measured from a corner behind the stage, to the left.
    let facts: Vec<Fact> =
        [0, 4, 5].into_iter().map(|of| Fact::Stands { of, at: [s.mics[of][0] + 3.0, 9.0 - s.mics[of][1]] }).collect();
    let known = with_facts(&table, &s.roles(), &facts);
    let c = decide(&known, &s.tracks);
    let stage = c.stage.unwrap();
    assert_eq!(stage.sides_by, SettledBy::Typed);
    for m in [0, 4, 5] {
        let (told, truth) = (stage.tracks[m].unwrap(), [s.mics[m][0] + 3.0, 9.0 - s.mics[m][1]]);
        assert!((told.right_m - truth[0]).hypot(told.front_m - truth[1]) < 0.1, "{told:?} instead of {truth:?}");
    }
}

/// A fact about something without a place changes nothing.
#[test]
fn facts_about_what_has_no_place_are_kept_and_do_nothing() {
    let s = Stage::new(4, 1);
    let rows = s.table().rows;
    let roles = s.roles();
    let fact = Fact::FromSource { of: 6, metres: 0.3 };
    let with = place(&rows, &roles, rate().into(), &[fact], None).unwrap();
    let without = place(&rows, &roles, rate().into(), &[], None).unwrap();
    assert_eq!(with.late, without.late);
}
