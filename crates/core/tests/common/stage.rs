//! Sessions made from places alone: sources and microphones give lags, wiring and placement give signs.

use super::rate;
use marea_core::decide::{Check, decide};
use marea_core::dsp::bands::BANDS_HZ;
use marea_core::edit::Edit;
use marea_core::measure::arrival::Facts;
use marea_core::measure::arrival::{Cell, Row, Table, Transfer, empty};
use marea_core::measure::places::place;
use marea_core::track::Role;
use marea_core::track::{Side, Track};
use marea_core::units::{Air, SessionFrame};
use marea_core::verdict::Verdict;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

pub const RATE: f64 = 48_000.0;
/// Handbook value at 20 °C.
pub const SPEED: f64 = 343.2;

/// Sources on a stage, a near microphone a source, then a main and a hall pair.
pub struct Stage {
    pub sources: Vec<[f64; 3]>,
    pub mics: Vec<[f64; 3]>,
    pub late: Vec<f64>,
    pub wired: Vec<i8>,
    pub placed: Vec<i8>,
    /// How much less each microphone takes from the side than from its own source: p in (1 − p) + p·cos θ; 0 for none given.
    pub patterns: Vec<f64>,
    pub tracks: Vec<Track>,
}

pub fn track(label: String, role: Role, source: &str, side: Side, set: Option<usize>) -> Track {
    Track {
        label,
        role,
        source: source.into(),
        side,
        policy: None,
        set,
        edit: Edit::default(),
        anchor: false,
        stamped: false,
    }
}

impl Stage {
    pub fn new(count: usize, seed: u64) -> Self {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let mut s = Self {
            sources: Vec::new(),
            mics: Vec::new(),
            late: Vec::new(),
            wired: Vec::new(),
            placed: Vec::new(),
            patterns: Vec::new(),
            tracks: Vec::new(),
        };
        for i in 0..count {
            let p =
                [1.6 * i as f64 + rng.random_range(-0.3..0.3), rng.random_range(4.0..6.5), rng.random_range(0.6..1.1)];
            let turn: f64 = rng.random_range(0.0..std::f64::consts::TAU);
            s.sources.push(p);
            s.mics.push([p[0] + 0.2 * turn.cos(), p[1] + 0.2 * turn.sin(), p[2] + 0.15]);
            s.tracks.push(track(format!("near {i}"), Role::Near, &format!("source {i}"), Side::None, None));
        }
        let middle = 0.8 * (count - 1) as f64;
        for (set, (role, y, half)) in [(Role::Main, 2.0, 0.2), (Role::Room, -3.0, 1.2)].into_iter().enumerate() {
            for (side, sign) in [(Side::Left, -1.0), (Side::Right, 1.0)] {
                s.mics.push([middle + sign * half, y, 2.4]);
                s.tracks.push(track(format!("{role:?} {side:?}"), role, "everything", side, Some(100 + set)));
            }
        }
        s.late = vec![0.0; s.mics.len()];
        s.wired = vec![1; s.mics.len()];
        s.placed = vec![1; s.mics.len()];
        s
    }

    pub fn table(&self) -> Table {
        self.found(self.rows_of(&(0..self.sources.len()).collect::<Vec<_>>()))
    }

    /// A row a source, as its home hears it: the track of each source's home.
    pub fn rows_of(&self, homes: &[usize]) -> Vec<Row> {
        let d = |a: [f64; 3], b: [f64; 3]| (0..3).map(|i| (a[i] - b[i]).powi(2)).sum::<f64>().sqrt();
        let arrival = |k: usize, m: usize| d(self.sources[k], self.mics[m]) / SPEED * RATE + self.late[m];
        let sign = |k: usize, m: usize| self.wired[m] * if homes[k] == m { self.placed[m] } else { 1 };
        let one = |(k, &home): (usize, &usize)| Row {
            home,
            members: vec![home],
            own_mic: true,
            hits: vec![SessionFrame(0); 20],
            strongest: 0,
            passages: Vec::new(),
            power: vec![1.0; BANDS_HZ.len()],
            cells: (0..self.mics.len())
                .map(|m| {
                    let s = sign(k, m) * sign(k, home);
                    let way = |m: usize| d(self.sources[k], self.mics[m]) / self.takes(k, m);
                    let level = way(home) / way(m);
                    solid(arrival(k, m) - arrival(k, home), s, level)
                })
                .collect(),
        };
        homes.iter().enumerate().map(one).collect()
    }

    /// What a near microphone takes of a source against what it takes from the front, where its own source is.
    fn takes(&self, source: usize, mic: usize) -> f64 {
        let p = self.patterns.get(mic).copied().unwrap_or(0.0);
        let Some(own) = self.sources.get(mic).filter(|_| p > 0.0) else { return 1.0 };
        let toward = |s: &[f64; 3]| {
            let v = [0, 1, 2].map(|i| s[i] - self.mics[mic][i]);
            let length = v.iter().map(|v| v * v).sum::<f64>().sqrt();
            v.map(|v| v / length)
        };
        let (front, there) = (toward(own), toward(&self.sources[source]));
        1.0 - p + p * front.iter().zip(there).map(|(a, b)| a * b).sum::<f64>()
    }

    /// A table of these rows with the latencies they tell.
    pub fn found(&self, rows: Vec<Row>) -> Table {
        let mut t = table(rows, self.mics.len());
        let placed = place(&t.rows, &self.roles(), rate().into(), &[], None);
        t.late = placed.as_ref().map_or(vec![None; self.mics.len()], |p| p.late.clone());
        t.places = placed.map(|p| p.places);
        t
    }

    pub fn roles(&self) -> Vec<Role> {
        self.tracks.iter().map(|t| t.role).collect()
    }

    pub fn check(&self) -> Check {
        decide(&self.table(), &self.tracks)
    }
}

pub fn solid(lag: f64, sign: i8, level: f64) -> Cell {
    let band = Transfer { re: (f64::from(sign) * level) as f32, im: 0.0 };
    Cell {
        lag_frames: Some(lag),
        sign,
        low_sign: sign,
        height: 25.0,
        coherence: 0.8,
        hits: 20,
        verdict: Verdict::Solid,
        bands: vec![band; BANDS_HZ.len()],
        ..empty("made by hand", true)
    }
}

pub fn table(rows: Vec<Row>, tracks: usize) -> Table {
    let facts = Facts { frames: 480_000, peak: 0.5, loud_db: -20.0, floor_db: -70.0, ..Facts::default() };
    Table {
        rate: rate(),
        air: Air::default(),
        wave_s: 0.05,
        rows,
        facts: vec![facts; tracks],
        shift: vec![0; tracks],
        late: vec![None; tracks],
        copies: Vec::new(),
        places: None,
        speeds: vec![None; tracks],
    }
}
