//! What an edit compiles into and how it sounds, against a renderer written straight from the definition.

mod common;

use common::*;
use marea_core::edit::map::{MapError, TimeMap};
use marea_core::edit::passage::Passage;
use marea_core::edit::slice::{Cut, Slice};
use marea_core::edit::stretch::Stretch;
use marea_core::edit::{Correction, Edit, EditError, Placement};
use marea_core::render::track::TrackRenderer;
use marea_core::signal::{MemSource, Placed};
use marea_core::units::{Offset, RecordingFrame, SampleRate, SessionFrame};
use proptest::prelude::*;
use std::f64::consts::TAU;

fn read(x: &[f32], start: i64, edit: &Edit, rate: SampleRate, (from, blocks): (i64, &[usize])) -> Vec<f32> {
    let source = MemSource(x.to_vec());
    let mut r = TrackRenderer::new(Placed { source: &source, start: SessionFrame(start) }, edit, rate);
    let (mut out, mut at) = (Vec::new(), from);
    for &n in blocks {
        let mut block = vec![f32::NAN; n];
        r.read(at, &mut block).unwrap();
        out.extend(block);
        at += n as i64;
    }
    out
}

fn own(x: &[f32], frame: i64) -> f32 {
    usize::try_from(frame).ok().and_then(|n| x.get(n)).copied().unwrap_or(0.0)
}

fn slice(from: i64, to: i64, at: f64, fades: [i64; 2]) -> Slice {
    Slice { from, to, at, fade_in: fades[0], fade_out: fades[1] }
}

fn cut(slices: Vec<Slice>) -> Cut {
    Cut { begins: 0, slices }
}

/// Frame by frame from the definition: slices in order of their places, each over what is below it.
fn sliced(x: &[f32], start: i64, edit: &Edit, frame: i64) -> f32 {
    let moved = |s: &Slice| start + (edit.placement.offset_frames.0 + s.at) as i64;
    let mut order: Vec<&Slice> = edit.cut.slices.iter().collect();
    order.sort_by_key(|s| moved(s));
    order.iter().fold(0.0, |below, s| {
        let (n, length) = (frame - moved(s), s.to - s.from);
        if !(0..length).contains(&n) {
            return below;
        }
        // Half a cosine over the fade.
        let round = |part: f32| 0.5 - 0.5 * (std::f32::consts::PI * part.min(1.0)).cos();
        let rise = if s.fade_in > 0 { round((n + 1) as f32 / s.fade_in as f32) } else { 1.0 };
        let fall = if s.fade_out > 0 { round((length - n) as f32 / s.fade_out as f32) } else { 1.0 };
        below + rise.min(fall) * (own(x, s.from + n) - below)
    })
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// Slices at whole frames, overlapping or apart, in any order: the renderer says what the definition says.
    #[test]
    fn slices_sound_as_defined(
        given in prop::collection::vec((0i64..350, 20i64..120, -60i64..400, 0i64..10, 0i64..10), 1..6),
        cuts in prop::collection::vec(1usize..120, 1..12), start in -30i64..30, offset in -20i64..20,
    ) {
        let x = noise(400, 5);
        let slices = given.iter().map(|(from, long, at, rise, fall)| slice(*from, from + long, *at as f64, [*rise, *fall]));
        let edit = Edit { cut: cut(slices.collect()), placement: Offset(offset as f64).into(), ..Edit::default() };
        prop_assert!(edit.check().is_ok());
        let got = read(&x, start, &edit, rate(), (-100, &cuts));
        for (frame, v) in (-100i64..).zip(&got) {
            let wanted = sliced(&x, start, &edit, frame);
            prop_assert!((v - wanted).abs() < 1e-6, "{} instead of {} at {}", v, wanted, frame);
        }
    }

    /// Whatever is carried, a frame depends on its place alone.
    #[test]
    fn no_block_depends_on_the_ones_before(
        cuts in prop::collection::vec(1usize..150, 2..10), offset in -40.0f64..40.0, invert: bool, mapped: bool, drift in -0.02f64..0.02,
    ) {
        let x = noise(900, 6);
        let besides = Correction { offset_frames: Offset(1.37), invert: true, gain_db: -3.0 };
        let map = TimeMap::new(vec![[0.0, 0.0], [300.0, 300.0 * (1.0 + drift)], [900.0, 900.0]]).unwrap();
        let slices = vec![slice(10, 300, 0.5, [20, 20]), slice(250, 700, 280.25, [30, 0])];
        let edit = Edit {
            placement: Offset(offset).into(),
            invert,
            map: mapped.then_some(map),
            cut: cut(if mapped { Vec::new() } else { slices }),
            stretches: vec![Stretch { from: RecordingFrame(100), to: RecordingFrame(400), besides }, Stretch { from: RecordingFrame(400), to: RecordingFrame(800), besides: Correction { invert: false, ..besides } }],
            ..Edit::default()
        };
        let total: usize = cuts.iter().sum();
        let (whole, cut) = (read(&x, 7, &edit, SampleRate::new(8_000).unwrap(), (-60, &[total])), read(&x, 7, &edit, SampleRate::new(8_000).unwrap(), (-60, &cuts)));
        prop_assert_eq!(whole.iter().map(|v| v.to_bits()).collect::<Vec<_>>(), cut.iter().map(|v| v.to_bits()).collect::<Vec<_>>());
    }

    /// A passage heard again, by whatever part of a frame the track is moved: in it the recording as it is heard so much later, outside of it
    /// as it is heard without.
    #[test]
    fn passages_sound_as_the_track_does_that_much_later(
        from in 0i64..500, long in 60i64..300, by in -700i64..700, fades in (0i64..20, 0i64..20), offset in -40.0f64..40.0,
        start in -30i64..30, invert: bool, moved: bool,
    ) {
        let x = noise(900, 8);
        let passage = Passage { from, to: from + long, by, fade_in: fades.0, fade_out: fades.1, moved };
        let plain = |offset: f64| Edit { placement: Offset(offset).into(), invert, ..Edit::default() };
        let edit = Edit { passages: vec![passage], ..plain(offset) };
        prop_assert!(edit.check().is_ok());
        let heard = |edit: &Edit| read(&x, start, edit, rate(), (-1_000, &[3_000]));
        let (got, without, later) = (heard(&edit), heard(&plain(offset)), heard(&plain(offset + by as f64)));
        let [begins, ends] = passage.target();
        let mut inside = 0;
        for (n, frame) in (-1_000i64..2_000).enumerate() {
            // A frame beside, for the part of one that the track is moved by.
            let own = (frame - start) as f64 - offset;
            let within = |a: i64, b: i64| own > a as f64 + 1.0 && own < b as f64 - 1.0;
            let beside = |a: i64, b: i64| own < a as f64 - 1.0 || own > b as f64 + 1.0;
            if within(begins + fades.0, ends - fades.1) {
                inside += 1;
                prop_assert!((got[n] - later[n]).abs() < 1e-6, "again at {}: {} instead of {}", frame, got[n], later[n]);
            } else if beside(begins, ends) && moved && within(from + fades.0, passage.to - fades.1) {
                prop_assert!(got[n].abs() < 1e-6, "{} is still heard where it was played", got[n]);
            } else if beside(begins, ends) && (!moved || beside(from, passage.to)) {
                prop_assert!((got[n] - without[n]).abs() < 1e-6, "at {}: {} instead of {}", frame, got[n], without[n]);
            }
        }
        prop_assert!(inside > 10);
    }

    /// A map and its way back are one another's inverse, and the pieces say the same.
    #[test]
    fn maps_lead_there_and_back(steps in prop::collection::vec((10.0f64..500.0, 0.6f64..1.6), 1..8), at in -200.0f64..3_000.0) {
        let mut points = vec![[0.0, 40.0]];
        for (own, stretch) in steps {
            let last: [f64; 2] = *points.last().unwrap();
            points.push([last[0] + own, last[1] + own * stretch]);
        }
        let map = TimeMap::new(points).unwrap();
        prop_assert!((map.own_of(map.session_of(at)) - at).abs() < 1e-6);
        let edit = Edit { map: Some(map.clone()), placement: Offset(5.5).into(), ..Edit::default() };
        let frame = at.round() as i64;
        let pieces = edit.pieces(SessionFrame(100), rate());
        let here = pieces.0.iter().find(|p| p.from <= frame && frame < p.to).unwrap();
        prop_assert!((here.own_frame(frame) - map.own_of(frame as f64 - 105.5)).abs() < 1e-6);
        prop_assert!((edit.moved_at(at) - (map.session_of(at) - at + 5.5)).abs() < 1e-9);
    }
}

/// A tone recorded by a clock that runs 0.1 % fast, brought back by a map: the tone that was played. The formula is the reference;
/// the bound is the project's own (−90 dB to 0.4 of the rate, as for slowed listening).
#[test]
fn a_clock_that_runs_fast_is_brought_back() {
    for hz in [60.0, 997.0, 12_000.0] {
        let (fast, n) = (1.001, 20_000usize);
        let at = |seconds: f64| (TAU * hz * seconds).sin();
        // Frame k of the recording was taken at k / (48 000 · 1.001) s.
        let x: Vec<f32> = (0..n).map(|k| at(k as f64 / (48_000.0 * fast)) as f32).collect();
        let map = TimeMap::new(vec![[0.0, 0.0], [n as f64, n as f64 / fast]]).unwrap();
        let edit = Edit { map: Some(map), ..Edit::default() };
        let got = read(&x, 0, &edit, rate(), (0, &[n]));
        let worst = (100..n - 200).map(|k| (f64::from(got[k]) - at(k as f64 / 48_000.0)).abs()).fold(0.0, f64::max);
        assert!(20.0 * worst.log10() < -90.0, "{hz} Hz: {:.1} dB", 20.0 * worst.log10());
    }
}

/// Repaired stretches take over within 5 ms at every rate.
#[test]
fn a_stretch_takes_over_in_five_milliseconds_at_every_rate() {
    for (hz, fade) in [(44_100u64, 221usize), (48_000, 240), (96_000, 480), (192_000, 960)] {
        let x = vec![1f32; 6_000];
        let besides = Correction { invert: true, ..Correction::default() };
        let edit = Edit {
            stretches: vec![Stretch { from: RecordingFrame(1_000), to: RecordingFrame(5_000), besides }],
            ..Edit::default()
        };
        let got = read(&x, 0, &edit, SampleRate::new(hz).unwrap(), (0, &[6_000]));
        assert_eq!(got.iter().position(|v| *v < 1.0), Some(1_000), "{hz} Hz");
        assert_eq!(got.iter().position(|v| *v == -1.0), Some(1_000 + fade - 1), "{hz} Hz");
        assert_eq!((got[5_000 - fade], got[4_999] < 1.0, got[5_000]), (-1.0, true, 1.0), "{hz} Hz");
    }
}

/// A stretch inside a slice moves with it and carries what it carries besides.
#[test]
fn a_stretch_goes_along_with_its_slice() {
    let x: Vec<f32> = (0..3_000).map(|n| n as f32).collect();
    let besides = Correction { offset_frames: Offset(2.0), ..Correction::default() };
    let edit = Edit {
        cut: cut(vec![slice(0, 500, 0.0, [0, 0]), slice(500, 2_500, 700.0, [0, 0])]),
        stretches: vec![Stretch { from: RecordingFrame(1_000), to: RecordingFrame(2_000), besides }],
        ..Edit::default()
    };
    let got = read(&x, 0, &edit, rate(), (0, &[3_000]));
    assert_eq!((got[499], got[600], got[700], got[1_199]), (499.0, 0.0, 500.0, 999.0));
    // Frame 1 500 of the recording plays 200 later, and two more in the stretch.
    assert_eq!((got[1_700], got[1_702]), (1_498.0, 1_500.0));
    assert_eq!((edit.moved_at(100.0), edit.moved_at(600.0), edit.moved_at(2_700.0)), (0.0, 200.0, 0.0));
}

#[test]
fn what_cannot_be_carried_out_is_refused() {
    let map = || TimeMap::new(vec![[0.0, 0.0], [10.0, 11.0]]).unwrap();
    let with = |slices: Vec<Slice>| Edit { cut: cut(slices), ..Edit::default() };
    assert_eq!(Edit { map: Some(map()), ..with(vec![slice(0, 9, 0.0, [0, 0])]) }.check(), Err(EditError::MapAndSlices));
    for bad in
        [slice(9, 9, 0.0, [0, 0]), slice(0, 9, f64::NAN, [0, 0]), slice(0, 9, 0.0, [5, 5]), slice(0, 9, 0.0, [-1, 0])]
    {
        assert_eq!(with(vec![bad]).check(), Err(EditError::Slice), "{bad:?}");
    }
    let besides = Correction::default();
    let over = vec![
        Stretch { from: RecordingFrame(0), to: RecordingFrame(9), besides },
        Stretch { from: RecordingFrame(8), to: RecordingFrame(12), besides },
    ];
    assert_eq!(Edit { stretches: over, ..Edit::default() }.check(), Err(EditError::Stretches));
    assert_eq!(Edit { gain_db: f64::INFINITY, ..Edit::default() }.check(), Err(EditError::NoNumber));
    assert!(Edit { map: Some(map()), ..Edit::default() }.check().is_ok());
    for (points, why) in [
        (vec![[0.0, 0.0]], MapError::TooFew),
        (vec![[0.0, 0.0], [10.0, -1.0]], MapError::NotRising),
        (vec![[0.0, 0.0], [f64::NAN, 5.0]], MapError::NotRising),
        (vec![[0.0, 0.0], [10.0, 3.0]], MapError::Speed),
    ] {
        assert_eq!(TimeMap::new(points).unwrap_err(), why);
    }
}

/// Stored as JSON, what is not there is left out, and what makes no sense is refused.
#[test]
fn edits_are_stored_as_they_are() {
    let plain = serde_json::to_string(&Edit::default()).unwrap();
    assert_eq!(plain, r#"{"placement":{"offset_frames":0.0},"invert":false,"gain_db":0.0}"#);
    let edit =
        Edit { map: Some(TimeMap::new(vec![[0.0, 0.0], [10.0, 11.0]]).unwrap()), invert: true, ..Edit::default() };
    let back: Edit = serde_json::from_str(&serde_json::to_string(&edit).unwrap()).unwrap();
    assert_eq!(back, edit);
    assert!(serde_json::from_str::<TimeMap>("[[0,0],[1,-1]]").is_err());
}

/// What is drawn is what plays, frame by frame; nothing lies over anything else.
#[test]
fn what_is_drawn_is_what_plays() {
    let x: Vec<f32> = (0..2_000).map(|n| n as f32 + 1.0).collect();
    let besides = Correction { offset_frames: Offset(30.0), invert: true, gain_db: 0.0 };
    let stretches = vec![Stretch { from: RecordingFrame(400), to: RecordingFrame(900), besides }];
    let placement = Offset(25.0).into();
    let slices =
        vec![slice(900, 1_500, 300.0, [0, 0]), slice(0, 700, 0.0, [0, 0]), slice(1_500, 1_900, 1_600.0, [0, 0])];
    let map = TimeMap::new(vec![[0.0, 0.0], [1_000.0, 1_100.0], [2_000.0, 2_000.0]]).unwrap();
    for edit in [
        Edit { placement, stretches: stretches.clone(), ..Edit::default() },
        Edit { placement, cut: cut(slices), stretches: stretches.clone(), ..Edit::default() },
        Edit { placement, map: Some(map), stretches, ..Edit::default() },
    ] {
        let drawn = edit.drawn(SessionFrame(-40), 2_000);
        assert!(drawn.windows(2).all(|d| d[0].to <= d[1].from) && drawn.iter().all(|d| d.from < d.to), "{drawn:?}");
        let got = read(&x, -40, &edit, SampleRate::new(8_000).unwrap(), (-100, &[2_400]));
        for (frame, v) in (-100i64..).zip(&got) {
            let seen = drawn.iter().find(|d| d.from.0 <= frame && frame < d.to.0);
            let own = seen.map_or(-1.0, |d| (frame as f64 - d.start) * d.rate);
            let value = seen.map_or(0.0, |d| d.factor * (own + 1.0));
            // Ends ring, and where a stretch fades both are heard.
            let edge = drawn.iter().any(|d| (d.from.0 - frame).abs() < 45 || (d.to.0 - frame).abs() < 45);
            assert!(edge || (f64::from(*v) - value).abs() < 0.5, "{v} instead of {value} at {frame}");
        }
        for (stretch, [from, to]) in edit.stretches.iter().zip(edit.heard(SessionFrame(-40))) {
            assert!(to > from);
            // Slices may lie over its beginning.
            assert!(
                !edit.cut.is_empty() || edit.own_frame(SessionFrame(-40), from).since(stretch.from).abs() <= 1,
                "{from}"
            );
        }
    }
}

/// A map may go on behind the recording's end: what plays before that is drawn to its last frame.
#[test]
fn a_map_beyond_the_recording_hides_nothing_of_it() {
    let map = TimeMap::new(vec![[0.0, 0.0], [1_200.0, 1_200.0], [2_000.0, 2_400.0]]).unwrap();
    let drawn = Edit { map: Some(map), ..Edit::default() }.drawn(SessionFrame(0), 1_000);
    assert_eq!((drawn.len(), drawn[0].from, drawn[0].to), (1, SessionFrame(0), SessionFrame(1_000)), "{drawn:?}");
}

/// Two microphones of one set, begun at different moments: one list of slices moves both, at the same session frames.
#[test]
fn one_list_of_slices_serves_a_set() {
    let slices = vec![slice(1_000, 3_000, 1_000.0, [0, 0]), slice(3_000, 5_000, 3_200.0, [0, 0])];
    let set = |start: i64, offset: i64| Edit {
        placement: Offset(offset as f64).into(),
        cut: Cut { begins: start + offset, slices: slices.clone() },
        ..Edit::default()
    };
    let event = noise(5_000, 3);
    let heard = |start: i64, offset: i64| {
        let own = &event[usize::try_from(start + offset).unwrap()..];
        read(own, start, &set(start, offset), rate(), (3_200, &[1_800]))
    };
    assert_eq!(heard(100, 0), event[3_000..4_800]);
    assert_eq!(heard(700, -40), event[3_000..4_800]);
}

/// What makes up for a path moves the sound, and leaves alone what is judged of arrivals.
#[test]
fn a_path_moves_the_sound_alone() {
    let placement = Placement { offset_frames: Offset(5.0), path_frames: Offset(-12.0) };
    let [aligned, carried] = [Offset(5.0).into(), placement].map(|placement| Edit { placement, ..Edit::default() });
    assert_eq!(carried.pieces(SessionFrame(100), rate()).0[0].own_frame(93), 0.0);
    assert_eq!((carried.moved_at(0.0), carried.aligned_at(0.0)), (-7.0, 5.0));
    assert_eq!(carried.later_than(&aligned, std::iter::empty()), 0.0);
    assert_eq!(carried.correction(), aligned.correction());
}
