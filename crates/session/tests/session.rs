//! What stands open, what is taken over, and what is written.

use marea_core::decide::decide;
use marea_core::decide::finding::To;
use marea_core::decide::kind::Kind;
use marea_core::edit::{Correction, Edit};
use marea_core::measure::arrival::{Cell, Facts, Row, Table, empty};
use marea_core::signal::{MemSource, Placed};
use marea_core::track::{Role, Side, Track};
use marea_core::units::{Air, Offset, SampleRate, SessionFrame};
use marea_core::verdict::Verdict;
use marea_media::write::{Depth, WriteSpec};
use marea_session::accept::{AcceptError, chosen, everything};
use marea_session::deliver::{Channel, DeliverError, span, write_file};
use marea_session::standing::{Judged, Kept, Standing};
use rand::{Rng, SeedableRng};
use std::collections::HashMap;

fn rate() -> SampleRate {
    SampleRate::new(48_000).expect("a rate")
}

fn track(label: &str) -> Track {
    Track {
        label: label.into(),
        role: Role::Near,
        source: label.into(),
        side: Side::None,
        policy: None,
        set: None,
        edit: Edit::default(),
        anchor: false,
        stamped: false,
    }
}

fn clear(lag: f64) -> Cell {
    Cell { lag_frames: Some(lag), sign: 1, verdict: Verdict::Solid, hits: 20, ..empty("by hand", true) }
}

/// Two microphones of one drum: the second stands half a second late, the first carries a constant voltage.
fn session() -> (Table, Vec<Track>) {
    let facts = Facts { frames: 480_000, peak: 0.5, loud_db: -20.0, floor_db: -70.0, ..Facts::default() };
    let row = Row {
        home: 0,
        members: vec![0, 1],
        own_mic: true,
        hits: vec![SessionFrame(48_000)],
        strongest: 0,
        passages: Vec::new(),
        power: Vec::new(),
        cells: vec![clear(0.0), clear(24_000.0)],
    };
    let table = Table {
        rate: rate(),
        air: Air::default(),
        wave_s: 0.05,
        rows: vec![row],
        facts: vec![Facts { offset: 0.02, ..facts }, facts],
        shift: vec![0, 24_000],
        copies: Vec::new(),
        late: vec![None; 2],
        places: None,
        speeds: vec![None; 2],
    };
    (table, vec![track("Drum top"), track("Drum below")])
}

#[derive(Default)]
struct Notes(HashMap<(usize, String), String>);

impl Kept for Notes {
    fn id(&self, track: usize) -> String {
        format!("id{track}")
    }
    fn put_aside(&self, track: usize, key: &str) -> Option<String> {
        self.0.get(&(track, key.to_string())).cloned()
    }
}

fn standing(judged: &Judged, notes: &Notes) -> Vec<(Kind, Standing)> {
    judged.findings(notes).iter().map(|f| (f.finding.kind, f.standing)).collect()
}

#[test]
fn what_is_accepted_is_agreed_and_what_is_put_aside_stays_so() {
    let (table, mut tracks) = session();
    let judge = |tracks: &[Track]| Judged::of(&table, tracks.to_vec(), tracks.to_vec(), Vec::new());
    let (before, mut notes) = (judge(&tracks), Notes::default());
    assert_eq!(standing(&before, &notes), [(Kind::Late, Standing::Open), (Kind::DcOffset, Standing::Open)]);
    let shown = before.findings(&notes);
    let taken = chosen(&before, &shown, &["late:id1".into()], &[]).expect("it is open");
    assert!(taken.label.starts_with("Accepted: Drum below stands 0.500 s later"), "{}", taken.label);
    for change in &taken.changes {
        tracks[change.of].edit = change.to.on(&tracks[change.of].edit);
    }
    assert_eq!(tracks[1].edit.placement.offset_frames.0, -24_000.0);
    notes.0.insert((0, "dc-offset:id0".into()), "the preamplifier's".into());
    let after = judge(&tracks);
    assert_eq!(standing(&after, &notes), [(Kind::DcOffset, Standing::Dismissed), (Kind::Late, Standing::Agreed)]);
    assert_eq!(after.findings(&notes)[0].note, "the preamplifier's");
    let late = chosen(&after, &after.findings(&notes), &["late:id1".into()], &[]);
    assert_eq!(late, Err(AcceptError::NotOpen));
}

#[test]
fn what_cannot_be_taken_over_is_refused() {
    let (table, tracks) = session();
    let mut judged = Judged::of(&table, tracks.clone(), tracks, Vec::new());
    (judged.recorded.tracks[0].verdict, judged.recorded.tracks[1].verdict) = (Verdict::Solid, Verdict::Undecided);
    let shown = judged.findings(&Notes::default());
    let take = |keys: &[&str], tracks: &[(usize, &str)]| {
        chosen(&judged, &shown, &keys.iter().map(|k| (*k).to_string()).collect::<Vec<_>>(), tracks)
    };
    assert_eq!(take(&[], &[]), Err(AcceptError::Nothing));
    assert_eq!(take(&["late:id9"], &[]), Err(AcceptError::NotOpen));
    assert!(
        matches!(take(&["late:id1", "dc-offset:id0"], &[]), Err(AcceptError::NothingProposed(why)) if why.contains("constant offset"))
    );
    assert!(
        matches!(take(&[], &[(1, "Drum below")]), Err(AcceptError::Undecided(why)) if why.starts_with("Drum below"))
    );
    let both = take(&["late:id1"], &[(0, "Drum top")]).expect("both are there");
    assert!(both.label.starts_with("Accepted 2 findings: "), "{}", both.label);
    assert_eq!(both.changes.iter().map(|c| c.of).collect::<Vec<_>>(), [1, 0, 0]);
}

/// A recording that cannot be read is missing, and nothing else is said of it.
#[test]
fn of_a_missing_recording_nothing_is_found() {
    let (table, tracks) = session();
    let judged = Judged::of(&table, tracks.clone(), tracks, vec![1]);
    assert_eq!(standing(&judged, &Notes::default()), [(Kind::DcOffset, Standing::Open)]);
}

/// Sides that were exchanged against their names are told as settled.
#[test]
fn exchanged_sides_are_remembered_by_the_names() {
    let (table, mut tracks) = session();
    let mut named = tracks.clone();
    for (t, side) in named.iter_mut().zip([Side::Left, Side::Right]) {
        (t.side, t.set) = (side, Some(0));
    }
    for (t, side) in tracks.iter_mut().zip([Side::Right, Side::Left]) {
        (t.side, t.set) = (side, Some(0));
    }
    let judged = Judged::of(&table, tracks, named, Vec::new());
    let told = judged.findings(&Notes::default()).pop().expect("something");
    assert_eq!((told.finding.kind, told.standing), (Kind::PairSwapped, Standing::Agreed));
    assert_eq!(told.finding.text, "Drum top and Drum below were exchanged.");
}

#[test]
fn everything_is_what_is_sure_enough() {
    let (table, tracks) = session();
    let mut check = decide(&table, &tracks);
    check.tracks[0].verdict = Verdict::Likely;
    (check.tracks[1].verdict, check.tracks[1].offset_frames) = (Verdict::Solid, Offset(-24_000.0));
    let of = |least| everything(&check, least).iter().map(|c| c.of).collect::<Vec<_>>();
    assert_eq!((of(Verdict::Solid), of(Verdict::Likely)), (vec![1, 1], vec![0, 0, 1, 1]));
    assert_eq!(everything(&check, Verdict::Solid)[0].to, To::Offset(Offset(-24_000.0)));
}

#[test]
fn channels_are_written_side_by_side_where_they_are_carried() {
    let folder = tempfile::tempdir().expect("a folder");
    let mut rng = rand_chacha::ChaCha8Rng::seed_from_u64(4);
    let mut noise = || -> Vec<f32> { (0..40_000).map(|_| rng.random_range(-0.5f32..0.5)).collect() };
    let sounds = [noise(), noise()];
    let sources = sounds.clone().map(MemSource);
    let edits = [
        Edit::from(Correction { offset_frames: Offset(-100.0), ..Correction::default() }),
        Edit::from(Correction { offset_frames: Offset(7.0), invert: true, gain_db: 0.0 }),
    ];
    let channels: Vec<Channel> = (sources.iter().zip(&edits))
        .map(|(source, edit)| Channel { sound: Placed { source, start: SessionFrame(0) }, edit })
        .collect();
    assert_eq!(span(&channels, rate()), [-100, 40_007]);
    assert_eq!(span([], rate()), [0, 0]);
    let path = folder.path().join("both.wav");
    let mut told = Vec::new();
    let spec = || WriteSpec::new(rate(), 2, Depth::Float32);
    let written = write_file(&path, spec(), &channels, [0, 40_007], &mut |n| {
        told.push(n);
        true
    })
    .expect("written");
    assert_eq!((written.clipped, written.left_out_frames), (0, 100));
    assert_eq!((told.last(), told.is_sorted()), (Some(&40_007), true));
    let (_, planes) = marea_media::read_all(&path).expect("a recording");
    assert_eq!(planes[0][..39_900], sounds[0][100..]);
    assert_eq!(planes[1][7..], sounds[1].iter().map(|x| -x).collect::<Vec<_>>());
    let stopped = write_file(&folder.path().join("stopped.wav"), spec(), &channels, [0, 40_007], &mut |_| false);
    assert!(matches!(stopped, Err(DeliverError::Stopped)));
    let nowhere = write_file(&folder.path().join("no/such.wav"), spec(), &channels, [0, 9], &mut |_| true);
    assert!(matches!(nowhere, Err(DeliverError::Disk(_))));
}
