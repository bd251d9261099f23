//! Sets moved together: no attack is lost or doubled, whatever is asked.

use marea_core::edit::Edit;
use marea_core::edit::slice::{Cut, Slice};
use marea_core::render::track::TrackRenderer;
use marea_core::signal::{MemSource, Placed};
use marea_core::timing::moves::{Event, events};
use marea_core::timing::plan::{Plan, Set, plan};
use marea_core::timing::proof::{click_db, ledger, prove};
use marea_core::units::{SampleRate, SessionFrame};
use proptest::prelude::*;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

const FRAMES: i64 = 480_000;

fn rate() -> SampleRate {
    SampleRate::new(48_000).unwrap()
}

/// Events at least `apart` frames from one another, what else may be an attack, and moves.
fn performance(seed: u64, apart: i64, farthest: i64) -> (Vec<Event>, Vec<i64>, Vec<i64>) {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let (mut hits, mut at) = (Vec::new(), rng.random_range(0..6_000));
    while at < FRAMES - 20_000 {
        hits.push(at as f64);
        at += apart + rng.random_range(0..12_000);
    }
    let events = events(&hits, 400.0, [rng.random_range(0..200), rng.random_range(0..700)]);
    let moves = events.iter().map(|_| rng.random_range(-farthest..=farthest)).collect();
    // Every tenth stroke is one that nobody found, but that some microphone hears.
    let mut seen: Vec<i64> = events.iter().flat_map(|e| [e.first, e.last]).collect();
    seen.extend((0..events.len() / 10).map(|_| rng.random_range(0..FRAMES)));
    seen.sort_unstable();
    (events, seen, moves)
}

fn cut(slices: &[Slice]) -> Edit {
    Edit { cut: Cut { begins: 0, slices: slices.to_vec() }, ..Edit::default() }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(400))]
    #[test]
    fn no_attack_is_lost_or_doubled(seed in any::<u64>(), apart in 300i64..6_000, farthest in 0i64..4_000) {
        let (events, seen, moves) = performance(seed, apart, farthest);
        let set = Set { events: &events, seen: &seen, span: [0, FRAMES], rate: rate() };
        let plan = plan(&set, &moves);
        let told = ledger(&plan.slices, &seen, rate());
        prop_assert!(told.lost.is_empty() && told.doubled.is_empty(), "{told:?} of {plan:?}");
        prop_assert!(plan.slices.iter().all(Slice::is_sound), "{plan:?}");
        prop_assert!(plan.joins.windows(2).all(|j| j[0].to <= j[1].from), "fades do not meet: {:?}", plan.joins);
        prop_assert!(cut(&plan.slices).check().is_ok());
        // What could be moved was moved by what was asked.
        for (n, by) in moves.iter().enumerate() {
            prop_assert!(plan.moves[n] == *by || plan.rides.contains(&n));
        }
    }
}

/// Strokes of a decaying tone.
fn struck(events: &[Event], seed: u64) -> Vec<f32> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let mut x = vec![0f32; FRAMES as usize];
    for e in events {
        let hz = rng.random_range(80.0..900.0);
        for n in 0..24_000.min(x.len() - e.at as usize) {
            let t = n as f64 / 48_000.0;
            x[e.at as usize + n] += (0.5 * (-t * 6.0).exp() * (std::f64::consts::TAU * hz * t).sin()) as f32;
        }
    }
    x
}

fn rendered(x: &MemSource, edit: &Edit) -> Vec<f32> {
    let track = Placed { source: x, start: SessionFrame(0) };
    let mut out = vec![0f32; FRAMES as usize];
    TrackRenderer::new(track, edit, rate()).read(0, &mut out).unwrap();
    out
}

/// The pieces of a plan that play without a fade: where they lie in the recording, and by how much they are moved.
fn unfaded(plan: &Plan) -> Vec<([i64; 2], i64)> {
    let next = plan.slices.iter().skip(1).map(|s| s.fade_in).chain([0]);
    let of = |(s, next): (&Slice, i64)| ([s.from + s.fade_in, s.to - next], s.at as i64 - s.from);
    plan.slices.iter().zip(next).map(of).collect()
}

#[test]
fn every_microphone_is_moved_alike_and_what_is_heard_is_the_recording() {
    for seed in 0..6 {
        let (events, seen, moves) = performance(seed, 5_000, 1_500);
        let set = Set { events: &events, seen: &seen, span: [0, FRAMES], rate: rate() };
        let plan = plan(&set, &moves);
        assert!(plan.rides.len() * 10 <= events.len(), "{} of {} ride along", plan.rides.len(), events.len());
        let edit = cut(&plan.slices);
        for mic in 0..2 {
            let x = MemSource(struck(&events, seed * 7 + mic));
            let heard = rendered(&x, &edit);
            for ([from, to], by) in unfaded(&plan) {
                let ours = (from.max(0)..to.min(FRAMES)).filter(|n| (0..FRAMES).contains(&(n + by)));
                for n in ours {
                    assert_eq!(heard[(n + by) as usize], x.0[n as usize], "seed {seed}, frame {n}");
                }
            }
        }
    }
}

#[test]
fn joins_do_not_click_and_a_hard_cut_does() {
    let (mut worst, mut hard) = (f64::NEG_INFINITY, 0);
    let mut joins = 0;
    for seed in 10..16 {
        let (events, seen, moves) = performance(seed, 6_000, 1_500);
        let set = Set { events: &events, seen: &seen, span: [0, FRAMES], rate: rate() };
        let plan = plan(&set, &moves);
        let x = MemSource(struck(&events, seed));
        let heard = rendered(&x, &cut(&plan.slices));
        for (join, pair) in plan.joins.iter().zip(plan.slices.windows(2)) {
            let margin = 480;
            let range = join.from - margin..join.to + margin;
            if range.start < 0 || range.end > FRAMES {
                continue;
            }
            let read = |s: &Slice| -> Vec<f32> {
                let by = s.at as i64 - s.from;
                range
                    .clone()
                    .map(|n| usize::try_from(n - by).ok().and_then(|n| x.0.get(n)).copied().unwrap_or(0.0))
                    .collect()
            };
            let (before, after) = (read(&pair[0]), read(&pair[1]));
            let fade = margin as usize..(margin + join.to - join.from) as usize;
            let plays = &heard[range.start as usize..range.end as usize];
            worst = worst.max(click_db(plays, [&before, &after], fade.clone()));
            // The same join at once.
            let cut: Vec<f32> = (0..plays.len()).map(|n| if n < fade.start { before[n] } else { after[n] }).collect();
            hard += usize::from(click_db(&cut, [&before, &after], fade.start..fade.start + 1) > -60.0);
            joins += 1;
        }
    }
    assert!(worst < -60.0, "{worst:.1} dB");
    assert!(hard * 2 > joins, "{hard} of {joins} hard cuts click");
}

#[test]
fn what_cannot_be_parted_rides_along_and_nothing_moves_without_cause() {
    let event = |at: i64| Event { at: at as f64, first: at, last: at };
    let set = |events: &'static [Event]| Set { events, seen: &[], span: [0, FRAMES], rate: rate() };
    let close: &'static [Event] = Vec::leak(vec![event(20_000), event(20_150), event(60_000)]);
    let told = plan(&set(close), &[0, 500, 0]);
    assert_eq!((told.rides, told.moves), (vec![1], vec![0, 0, 0]));
    assert!(told.slices.is_empty());
    // At frame 0 nothing lies before it that could be faded.
    let first: &'static [Event] = Vec::leak(vec![event(0), event(40_000)]);
    assert_eq!(plan(&set(first), &[300, 0]).rides, [0]);
    let none: &'static [Event] = &[];
    assert_eq!(plan(&set(none), &[]), Plan::default());
    // Far apart, the tail between is repeated as often as it takes.
    let far = plan(&set(Vec::leak(vec![event(20_000), event(23_000)])), &[0, 9_000]);
    assert!(far.rides.is_empty() && far.joins.len() > 2, "{far:?}");
    assert_eq!(far.moves, [0, 9_000]);
}

#[test]
fn a_right_plan_is_proved_and_a_spoilt_one_is_not() {
    let (events, seen, moves) = performance(21, 6_000, 1_500);
    let set = Set { events: &events, seen: &seen, span: [0, FRAMES], rate: rate() };
    let right = plan(&set, &moves);
    let sounds = [3, 4].map(|seed| MemSource(struck(&events, seed)));
    let placed = sounds.each_ref().map(|source| Placed { source, start: SessionFrame(0) });
    let told = |plan: &Plan| prove(&placed, plan, &seen, rate(), &|_| true).unwrap();
    let proof = told(&right);
    assert_eq!((proof.ledger.attacks, proof.ledger.lost.len(), proof.ledger.doubled.len()), (seen.len(), 0, 0));
    assert!(proof.null_db == f64::NEG_INFINITY && proof.worst_join_db < -60.0 && proof.clicks.is_empty(), "{proof:?}");
    // Cut at once, the joins click.
    let mut hard = right.clone();
    hard.slices.iter_mut().for_each(|s| s.fade_in = 0);
    assert!(told(&hard).worst_join_db > -60.0 && !told(&hard).clicks.is_empty());
    // A piece that begins earlier covers the end of the one before, which then plays not in full, and repeats what that played.
    let mut early = right.clone();
    let middle = early.slices.len() / 2;
    (early.slices[middle].from, early.slices[middle].at) =
        (right.slices[middle].from - 19_000, right.slices[middle].at - 19_000.0);
    let proof = told(&early);
    assert!(proof.null_db > -60.0 && !proof.ledger.doubled.is_empty(), "{proof:?}");
    assert!(prove(&placed, &right, &seen, rate(), &|_| false).is_err(), "it stops where it is told");
}
