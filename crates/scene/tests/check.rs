//! The whole-session check on simulated sessions with known truth, and on input that is no session.

use marea_core::decide::kind::Kind;
use marea_core::decide::{Named, decide, said, tracks_of};
use marea_core::measure::arrival::Table;
use marea_core::measure::table::{Heard, measure_session};
use marea_core::progress::MeasureError;
use marea_core::signal::{MemSource, Placed};
use marea_core::units::{SampleRate, SessionFrame};
use marea_core::verdict::Verdict;
use marea_scene::score::{self, Score};
use marea_scene::varied::{self, Kind as Made};
use marea_scene::{Scene, harbour_hall};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::sync::atomic::{AtomicUsize, Ordering};

fn rate() -> SampleRate {
    SampleRate::new(48_000).unwrap()
}

fn scored(scene: &Scene) -> Score {
    let played = scene.render();
    score::score(scene, &played, &score::check(&played, rate()))
}

#[test]
fn harbour_hall_is_read_right() {
    let s = scored(&harbour_hall::scene(60.0, 1));
    assert_eq!((s.solid_wrong, s.sign_wrong, s.rows_missing), (0, 0, 0), "{:?}", s.notes);
    assert_eq!(
        (s.inverted, s.opposed, s.swapped, s.late),
        ([1, 1, 0], [1, 1, 0], [1, 1, 0], [1, 1, 0]),
        "{:?}",
        s.notes
    );
    assert!(s.solid * 2 > s.cells && s.undecided * 10 <= s.cells, "{s:?}");
}

/// What a finding costs in the sum is never negative: where mending it brings nothing, it costs nothing.
#[test]
fn a_cost_is_never_negative() {
    let mut told = 0;
    for seed in 61..=66 {
        let played = varied::scene(30.0, seed, Made::Faulty).render();
        for f in &score::check(&played, rate()).check.findings {
            told += usize::from(f.cost_db.is_some());
            assert!(f.cost_db.is_none_or(|c| c > 0.0), "{seed}: {f:?}");
        }
    }
    assert!(told > 5, "only {told} costs were told");
}

/// Seeds outside those of docs/accuracy.md.
#[test]
fn varied_sessions_hold_no_wrong_answer_called_solid() {
    let mut all = Score::default();
    for seed in 101..=108 {
        all += &scored(&varied::scene(50.0, seed, Made::Faulty));
    }
    let wrong = (all.solid_wrong, all.sign_wrong, all.inverted[2], all.swapped[2]);
    assert_eq!(wrong, (0, 0, 0, 0), "{:?}", all.notes);
    assert!(all.undecided * 10 <= all.cells, "{all:?}");
    assert_eq!(all.late_solid[1], 0, "{:?}", all.notes);
    // Of those that are late most are found within 0.4 ms.
    assert!(all.late[1] * 4 >= all.late[0] * 3, "{:?}", all.notes);
}

#[test]
fn a_clean_session_yields_no_finding() {
    for seed in [104, 108] {
        let s = scored(&varied::scene(40.0, seed, Made::Clean));
        assert_eq!(s.clean, [1, 0], "{:?}", s.notes);
    }
}

/// Measures sounds that start where they are told to, without names.
fn table(sounds: &[(Vec<f32>, i64)]) -> (Table, Vec<(Kind, usize)>) {
    let sources: Vec<MemSource> = sounds.iter().map(|s| MemSource(s.0.clone())).collect();
    let names: Vec<Named> =
        (0..sounds.len()).map(|i| Named { file: format!("Audio {i:02}.wav"), channel: 1, channels: 1 }).collect();
    let tracks = tracks_of(&names);
    let said = said(&tracks);
    let heard: Vec<Heard> = sources
        .iter()
        .zip(sounds)
        .zip(tracks.iter().zip(said))
        .map(|((source, (_, start)), (t, said))| Heard {
            sound: Placed { source, start: SessionFrame(*start) },
            role: t.role,
            said,
            added: Vec::new(),
            removed: Vec::new(),
        })
        .collect();
    let t = measure_session(&heard, rate(), &|_| true).unwrap();
    let found = decide(&t, &tracks).findings.iter().map(|f| (f.kind, f.about.tracks[0])).collect();
    (t, found)
}

fn noise(seed: u64, frames: usize) -> Vec<f32> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    (0..frames).map(|_| rng.random_range(-0.1f32..0.1)).collect()
}

/// Decaying noise bursts at random times.
fn strikes(seed: u64, count: usize, frames: usize) -> Vec<f32> {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let mut x: Vec<f32> = (0..frames).map(|_| rng.random_range(-1e-4f32..1e-4)).collect();
    for _ in 0..count {
        let at = rng.random_range(0..frames - 9_600);
        for k in 0..9_600 {
            x[at + k] += rng.random_range(-0.5f32..0.5) * (-(k as f32) / 1_200.0).exp();
        }
    }
    x
}

#[test]
fn input_that_is_no_session_is_answered_calmly() {
    assert_eq!(table(&[(strikes(1, 30, 480_000), 0)]).1, [], "one track alone has nothing to be compared with");
    let silent = vec![(vec![0f32; 96_000], 0); 3];
    assert_eq!(table(&silent).1, [(Kind::Dead, 0), (Kind::Dead, 1), (Kind::Dead, 2)]);
    let same = strikes(2, 30, 480_000);
    let (t, found) = table(&[(same.clone(), 0), (same.clone(), 0), (same, 0)]);
    assert_eq!(t.copies.len(), 3);
    assert!(found.iter().all(|(k, _)| *k == Kind::SameRecording), "{found:?}");
    let (t, _) = table(&[(Vec::new(), 0), (strikes(3, 9, 96_000), 0)]);
    assert_eq!(t.facts[0].frames, 0, "an empty recording");
}

#[test]
fn sixty_four_tracks_of_noise_share_nothing() {
    let tracks: Vec<(Vec<f32>, i64)> = (0..64).map(|i| (noise(i, 144_000), 0)).collect();
    let (t, found) = table(&tracks);
    let solid = t
        .rows
        .iter()
        .flat_map(|r| r.cells.iter().enumerate().filter(|(m, c)| *m != r.home && c.verdict == Verdict::Solid));
    assert_eq!(solid.count(), 0);
    assert!(found.iter().all(|(k, _)| matches!(k, Kind::Unrelated | Kind::Noisy)), "{found:?}");
}

/// Moved as whole files, and one that plays only once.
#[test]
fn tracks_that_start_at_different_times_are_found() {
    let a = strikes(4, 40, 960_000);
    let near = |shift: usize, gain: f32, seed: u64| -> Vec<f32> {
        let hiss = noise(seed, 960_000);
        (0..960_000).map(|i| if i >= shift { a[i - shift] * gain } else { 0.0 } + hiss[i] * 0.001).collect()
    };
    // B starts three seconds late but its stamp says nothing of it; C stands where it should.
    let late = near(0, 0.5, 9)[144_000..].to_vec();
    let (t, found) = table(&[(near(0, 1.0, 7), 0), (near(300, 0.6, 8), 0), (late, 0)]);
    assert!((t.shift[2] + 144_000).abs() < 400, "{:?}", t.shift);
    assert!(found.contains(&(Kind::Early, 2)), "{found:?}");
    let mut once = vec![0f32; 960_000];
    once[400_000..404_000].copy_from_slice(&strikes(5, 1, 13_600)[..4_000]);
    let (t, _) = table(&[(near(0, 1.0, 7), 0), (once, 0)]);
    let decided = |c: &marea_core::measure::arrival::Cell| c.verdict > Verdict::Undecided;
    assert!(t.rows.iter().all(|r| r.home == 1 || !decided(&r.cells[1])), "one moment decides nothing");
}

#[test]
fn it_stops_where_it_is_told() {
    let source = MemSource(strikes(6, 40, 960_000));
    for stop_at in [1, 5, 22, 26] {
        let heard: Vec<Heard> = (0..4)
            .map(|_| Heard {
                sound: Placed { source: &source, start: SessionFrame(0) },
                role: marea_core::track::Role::Near,
                said: None,
                added: Vec::new(),
                removed: Vec::new(),
            })
            .collect();
        let calls = AtomicUsize::new(0);
        let report = |_: f64| calls.fetch_add(1, Ordering::Relaxed) < stop_at;
        assert!(matches!(measure_session(&heard, rate(), &report), Err(MeasureError::Stopped)), "at {stop_at}");
    }
}

/// A hit drawn by hand is used; one that is removed is not.
#[test]
fn hits_by_hand_count() {
    let a = strikes(11, 30, 480_000);
    let b: Vec<f32> = (0..480_000).map(|i| if i >= 150 { a[i - 150] * 0.4 } else { 0.0 }).collect();
    let (sa, sb) = (MemSource(a), MemSource(b));
    let measure = |added: Vec<SessionFrame>, removed: Vec<SessionFrame>| {
        let heard = |source, role, added, removed| Heard {
            sound: Placed { source, start: SessionFrame(0) },
            role,
            said: None,
            added,
            removed,
        };
        let near = marea_core::track::Role::Near;
        let main = marea_core::track::Role::Main;
        let tracks = [heard(&sa, near, added, removed), heard(&sb, main, Vec::new(), Vec::new())];
        measure_session(&tracks, rate(), &|_| true).unwrap().rows[0].hits.clone()
    };
    let plain = measure(Vec::new(), Vec::new());
    assert!(plain.len() >= 8);
    let without = measure(Vec::new(), vec![plain[3]]);
    assert!(!without.contains(&plain[3]) && without.len() == plain.len() - 1);
    let widest = plain.windows(2).max_by_key(|w| w[1].since(w[0])).unwrap();
    let gap = widest[0].plus(widest[1].since(widest[0]) / 2);
    assert!(measure(vec![gap], Vec::new()).contains(&gap));
}

/// A room simulated by pyroomacoustics 0.10, lags by geometry and by SciPy's correlate (tests/vectors/make.py).
#[test]
fn cells_agree_with_an_independent_room_simulator() {
    let folder = std::path::Path::new(env!("CARGO_MANIFEST_DIR")).join("tests/vectors");
    let text = std::fs::read_to_string(folder.join("session.json")).unwrap();
    let truth: serde_json::Value = serde_json::from_str(&text).unwrap();
    let rate = SampleRate::new(truth["rate_hz"].as_u64().unwrap()).unwrap();
    let mut reader = hound::WavReader::open(folder.join("session.wav")).unwrap();
    let all: Vec<f32> = reader.samples::<i16>().map(|s| f32::from(s.unwrap()) / 32_768.0).collect();
    let sounds: Vec<MemSource> = (0..4).map(|m| MemSource(all.iter().skip(m).step_by(4).copied().collect())).collect();
    let names: Vec<Named> =
        ["Bell", "Block", "Drum", "Main"].map(|n| Named { file: format!("{n}.wav"), channel: 1, channels: 1 }).to_vec();
    let tracks = tracks_of(&names);
    let heard: Vec<Heard> = sounds
        .iter()
        .zip(&tracks)
        .map(|(source, t)| Heard {
            sound: Placed { source, start: SessionFrame(0) },
            role: t.role,
            said: None,
            added: Vec::new(),
            removed: Vec::new(),
        })
        .collect();
    let t = measure_session(&heard, rate, &|_| true).unwrap();
    assert_eq!(t.rows.iter().map(|r| r.home).collect::<Vec<_>>(), [0, 1, 2]);
    let inverted = truth["inverted"].as_u64().unwrap() as usize;
    let mut solid = 0;
    for (k, row) in t.rows.iter().enumerate() {
        for (m, cell) in row.cells.iter().enumerate().filter(|(m, _)| *m != k) {
            let (by_geometry, by_scipy) = (&truth["lags_by_geometry"][k][m], &truth["lags_by_scipy"][k][m]);
            let lag = by_geometry.as_f64().unwrap();
            assert!((lag - by_scipy.as_f64().unwrap()).abs() <= 1.0, "the two references agree");
            let Some(got) = cell.lag_frames else { continue };
            // Half a frame at 24 kHz is a frame at 48 kHz.
            assert!((got - lag).abs() < 0.5, "source {k} in {m}: {got} instead of {lag}");
            assert_eq!(cell.sign, if (m == inverted) != (k == inverted) { -1 } else { 1 }, "source {k} in {m}");
            solid += usize::from(cell.verdict == Verdict::Solid);
        }
    }
    assert!(solid >= 6, "{solid} of 9 cells are solid");
    let check = decide(&t, &tracks);
    let found: Vec<(Kind, usize)> = check.findings.iter().map(|f| (f.kind, f.about.tracks[0])).collect();
    assert_eq!(found, [(Kind::WiredInverted, inverted)]);
}
