//! How well the check did on a set, by its truth.

use crate::room::{Mic, distance};
use crate::score::{Checked, mic, nearest, pairs_of, tally};
use crate::{Fault, Rendered, Scene};
use marea_core::decide::finding::Finding;
use marea_core::decide::kind::Kind;
use marea_core::dsp::spectrum::Transform;
use marea_core::units::db_of_power;
use marea_core::verdict::Verdict;
use realfft::num_complex::Complex32;
use std::ops::AddAssign;

/// A lag is right within so many frames.
const RIGHT_FRAMES: f64 = 3.0;
/// A microphone stands at a source this close, in metres.
const AT_SOURCE_M: f64 = 0.6;
/// The wrong polarity costs more than this, in dB.
const COSTS_DB: f64 = 0.5;
/// The lows end here, in Hz, and decide when they hold this part of the energy.
const LOWS_HZ: f64 = 200.0;
const LOWS_MATTER: f64 = 0.1;
/// Latencies count from here on, in frames at 48 kHz: 1 ms; and are found within 0.4 ms.
const LATE_FRAMES: f64 = 48.0;
const FOUND_FRAMES: f64 = 19.2;

/// Counts over one session or many.
#[derive(Debug, Clone, Default)]
pub struct Score {
    /// Cells in air other than the home: all, undecided.
    pub cells: [usize; 2],
    /// Called solid: all, wrong in lag, wrong in sign. Signs count where neither microphone turns the phase.
    pub solid: [usize; 3],
    /// Called likely: all, wrong.
    pub likely: [usize; 2],
    /// Microphones that share a source: all, wrong by the sum, called solid, solid and wrong.
    pub polarity: [usize; 4],
    /// Whose phase turns: there, told, called wired inverted and solid without being.
    pub turning: [usize; 3],
    /// There, found, false.
    pub opposed: [usize; 3],
    /// There, found, false; without those whose phase turns.
    pub inverted: [usize; 3],
    /// There, found or asked, told wrongly.
    pub swapped: [usize; 3],
    /// Tracks of different sources and names that were made one.
    pub joined: usize,
    /// On near microphones, of 1 ms and more: there, found, false.
    pub late: [usize; 3],
    /// On halves of main pairs, of 3 to 4 ms: there, found; of 4 ms and more: there, found; and told falsely on any.
    pub halves: [usize; 5],
    /// Told of rooms.
    pub rooms: usize,
    /// Clean sessions, findings in them.
    pub clean: [usize; 2],
    /// What went wrong, in words.
    pub notes: Vec<String>,
}

impl AddAssign<&Self> for Score {
    fn add_assign(&mut self, o: &Self) {
        fn add<const N: usize>(a: &mut [usize; N], b: &[usize; N]) {
            a.iter_mut().zip(b).for_each(|(a, b)| *a += b);
        }
        add(&mut self.cells, &o.cells);
        add(&mut self.solid, &o.solid);
        add(&mut self.likely, &o.likely);
        add(&mut self.polarity, &o.polarity);
        add(&mut self.turning, &o.turning);
        add(&mut self.opposed, &o.opposed);
        add(&mut self.inverted, &o.inverted);
        add(&mut self.swapped, &o.swapped);
        add(&mut self.late, &o.late);
        add(&mut self.halves, &o.halves);
        add(&mut self.clean, &o.clean);
        self.joined += o.joined;
        self.rooms += o.rooms;
        self.notes.extend(o.notes.iter().cloned());
    }
}

/// Compares with the truth.
pub fn score(scene: &Scene, played: &Rendered, c: &Checked, clean: bool) -> Score {
    let mut s = Score::default();
    arrivals(&mut s, scene, played, c);
    for i in 0..scene.sources.len() {
        polarity(&mut s, scene, played, c, i);
    }
    for m in 0..c.names.len() {
        wiring(&mut s, scene, c, m);
        latency(&mut s, scene, c, m);
    }
    swapped(&mut s, scene, c);
    joined(&mut s, scene, c);
    if clean {
        s.clean = [1, c.check.findings.len()];
        s.notes.extend(c.check.findings.iter().map(|f| format!("clean, yet {:?} {:?}: {}", f.verdict, f.kind, f.text)));
    }
    s
}

fn arrivals(s: &mut Score, scene: &Scene, played: &Rendered, c: &Checked) {
    let in_air = |m: usize| mic(scene, c, m).contact.is_none();
    for row in c.table.rows.iter().filter(|r| in_air(r.home)) {
        let of = nearest(scene, c, row.home);
        let source = &scene.sources[of].name;
        for (m, cell) in row.cells.iter().enumerate().filter(|(m, _)| *m != row.home && in_air(*m)) {
            let Some((lag, sign)) = played.true_lag(source, c.at(row.home), c.at(m)) else { continue };
            // Where one of the two turns the phase, the lows arrive later than the attack and the other way up: neither lag nor sign is
            // a single number there, and any between the two is right.
            let spread = |m: usize| spread(scene, c, m, of);
            let [early, late] = [lag - spread(row.home), lag + spread(m)];
            let off = cell.lag_frames.map_or(f64::INFINITY, |l| (early - l).max(l - late).max(0.0));
            let sign = if late > early { cell.sign } else { sign };
            s.cells[0] += 1;
            match cell.verdict {
                Verdict::Solid => {
                    s.solid[0] += 1;
                    s.solid[1] += usize::from(off > RIGHT_FRAMES);
                    s.solid[2] += usize::from(cell.sign != sign);
                    if off > RIGHT_FRAMES || cell.sign != sign {
                        let (home, label) = (&c.tracks[row.home].label, &c.tracks[m].label);
                        let (said, way) = (cell.lag_frames, cell.sign);
                        s.notes.push(format!(
                            "cell: {source} ({home}) in {label}: {said:.1?} {way} instead of {lag:.1} {sign}"
                        ));
                    }
                }
                Verdict::Likely => {
                    s.likely[0] += 1;
                    s.likely[1] += usize::from(off > RIGHT_FRAMES || cell.sign != sign);
                }
                Verdict::Undecided => s.cells[1] += 1,
            }
        }
    }
}

/// By how many frames the lows of a source come later than its attack to a microphone.
fn spread(scene: &Scene, c: &Checked, m: usize, source: usize) -> f64 {
    let turn = mic(scene, c, m).turn.filter(|t| t.takes(source));
    turn.map_or(0.0, |t| f64::from(scene.rate_hz) / (std::f64::consts::PI * t.hz))
}

/// Microphones in air that stand at a source.
fn standing_at(scene: &Scene, c: &Checked, source: usize) -> Vec<usize> {
    let at = |m: &usize| {
        let mic = mic(scene, c, *m);
        let near = distance(mic.position, scene.sources[source].position) < AT_SOURCE_M;
        mic.contact.is_none() && near && mic.gain_db > -40.0 && nearest(scene, c, *m) == source
    };
    (0..c.names.len()).filter(at).collect()
}

/// Would one of a source's microphones serve its sum better the other way round? Their arrivals are brought together by the truth.
fn polarity(s: &mut Score, scene: &Scene, played: &Rendered, c: &Checked, source: usize) {
    let mics = standing_at(scene, c, source);
    if mics.len() < 2 {
        return;
    }
    let take = |m: usize| scene.takes.iter().position(|t| t.file == c.names[m].file).expect("a file of the scene");
    let alone = scene.alone(source, &mics.iter().map(|m| take(*m)).collect::<Vec<_>>(), played);
    let n = (scene.frames * 2).next_power_of_two();
    let mut transform = Transform::new(n);
    let name = &scene.sources[source].name;
    let spectra: Vec<Vec<Complex32>> = mics
        .iter()
        .map(|m| {
            let (file, channel) = c.at(*m);
            let lag = played.true_lag(name, c.at(mics[0]), (file, channel)).map_or(0.0, |l| l.0);
            let sign = if c.check.tracks[*m].invert { -1.0 } else { 1.0 };
            let mut out = vec![Complex32::default(); transform.bins()];
            transform.forward(alone.channel(file, channel).unwrap_or_default(), &mut out);
            out.iter_mut().enumerate().for_each(|(k, z)| {
                *z *= Complex32::from_polar(sign, (std::f64::consts::TAU * k as f64 * lag / n as f64) as f32);
            });
            out
        })
        .collect();
    let lows = (LOWS_HZ / f64::from(scene.rate_hz) * n as f64) as usize;
    let energy = |signs: &[f32], upto: usize| -> f64 {
        let sum = |k: usize| spectra.iter().zip(signs).map(|(x, s)| x[k] * *s).sum::<Complex32>();
        (1..upto).map(|k| f64::from(sum(k).norm_sqr())).sum()
    };
    let apart = |upto: usize| spectra.iter().flat_map(|x| &x[1..upto]).map(|z| f64::from(z.norm_sqr())).sum::<f64>();
    let bins = transform.bins();
    let upto = if apart(lows) >= LOWS_MATTER * apart(bins) { lows } else { bins };
    let mut signs = vec![1f32; mics.len()];
    let now = energy(&signs, upto);
    for (i, m) in mics.iter().enumerate() {
        signs[i] = -1.0;
        // Two stand to one another: where one of them is wrong, both are counted.
        let lost_db = db_of_power(energy(&signs, upto) / now);
        signs[i] = 1.0;
        let (wrong, solid) = (lost_db > COSTS_DB, c.check.tracks[*m].verdict == Verdict::Solid);
        s.polarity[0] += 1;
        s.polarity[1] += usize::from(wrong);
        s.polarity[2] += usize::from(solid);
        s.polarity[3] += usize::from(wrong && solid);
        if wrong {
            let (label, why) = (&c.tracks[*m].label, &c.check.tracks[*m].reason);
            let band = if upto == lows { "lows" } else { "all" };
            let Mic { inverted, behind, turn, .. } = mic(scene, c, *m);
            s.notes.push(format!("polarity: {label} would gain {lost_db:.1} dB ({band}), solid {solid}: {why} (inverted {inverted}, behind {}, turn {turn:?})", behind.is_some()));
        }
    }
}

fn wiring(s: &mut Score, scene: &Scene, c: &Checked, m: usize) {
    let (label, mic) = (&c.tracks[m].label, mic(scene, c, m));
    let wired = c.found(Kind::WiredInverted, m);
    if mic.turn.is_some() {
        s.turning[0] += 1;
        s.turning[1] += usize::from(c.found(Kind::PhaseTurns, m).is_some());
        let solid = wired.is_some_and(|f| f.verdict == Verdict::Solid);
        // One that is inverted besides, and turns for its own source alone, is called so rightly.
        let wrong = solid && !(mic.inverted && mic.turn.is_some_and(|t| t.of.is_some()));
        s.turning[2] += usize::from(wrong);
        if wrong {
            s.notes.push(format!("turning: {label} is called wired inverted"));
        }
        return;
    }
    if mic.gain_db < -60.0 {
        return;
    }
    tally(&mut s.inverted, mic.inverted, wired.is_some());
    if mic.inverted != wired.is_some() {
        s.notes.push(format!("inverted: {label} is {}, said {}", mic.inverted, wired.is_some()));
    }
    let opposed = mic.behind.is_some();
    // Wired and placed at once is told by the first of the two.
    let both = |f: &Finding| f.changes.is_empty();
    let said = c.found(Kind::OpposedByPlacement, m).is_some() || wired.is_some_and(both);
    tally(&mut s.opposed, opposed, said);
    if opposed != said {
        s.notes.push(format!("opposed: {label} is {opposed}, said {said}"));
    }
}

fn latency(s: &mut Score, scene: &Scene, c: &Checked, m: usize) {
    let mic = mic(scene, c, m);
    if mic.contact.is_some() || mic.gain_db < -60.0 {
        return;
    }
    let label = &c.tracks[m].label;
    let told = c.found(Kind::Late, m).or(c.found(Kind::Early, m)).map(|_| c.check.tracks[m].latency_frames);
    let there = Some(mic.latency_frames).filter(|l| *l >= LATE_FRAMES);
    let right = told.is_some_and(|t| (t - mic.latency_frames).abs() <= FOUND_FRAMES);
    let close = (scene.sources.iter()).any(|s| distance(s.position, mic.position) < AT_SOURCE_M);
    let over = mic.pattern > 0.0 && !close;
    if !close && !over {
        s.rooms += usize::from(told.is_some());
    } else if over {
        let at = if there.is_some_and(|l| l >= 4.0 * LATE_FRAMES) { 2 } else { 0 };
        let counted = there.is_some_and(|l| l >= 3.0 * LATE_FRAMES);
        // As sure as it says it is.
        let within = FOUND_FRAMES.max(c.check.tracks[m].latency_within_frames);
        let right = told.is_some_and(|t| (t - mic.latency_frames).abs() <= within);
        s.halves[at] += usize::from(counted);
        s.halves[at + 1] += usize::from(counted && right);
        s.halves[4] += usize::from(told.is_some() && !right);
    } else {
        s.late[0] += usize::from(there.is_some());
        s.late[1] += usize::from(there.is_some() && right);
        s.late[2] += usize::from(told.is_some() && !right);
    }
    if there.is_some() != told.is_some() || told.is_some() && !right {
        s.notes.push(format!("late: {label} by {:.1}, said {told:.1?}", mic.latency_frames));
    }
}

/// Pairs that were exchanged: told, or asked about together with another pair. One whose other half is dead is no pair that could be
/// heard, and is not counted.
fn swapped(s: &mut Score, scene: &Scene, c: &Checked) {
    let sounds = |m: usize| !c.table.facts[m].is_silent();
    let pairs = pairs_of(c).into_iter().filter(|p| p.iter().all(|m| sounds(*m)));
    let exchanged = |m: usize| {
        scene.faults.iter().any(|f| match f {
            Fault::Swapped { left, right } => [left, right].iter().any(|x| c.at(m) == (x.0.as_str(), x.1)),
            _ => false,
        })
    };
    let silent = |file: &str| (0..c.tracks.len()).any(|m| c.at(m).0 == file && !sounds(m));
    let audible = |f: &&Fault| matches!(f, Fault::Swapped { left, right } if !silent(&left.0) && !silent(&right.0));
    s.swapped[0] += scene.faults.iter().filter(audible).count();
    for pair in pairs {
        let there = exchanged(pair[0]);
        let said = c.check.swapped_pairs.iter().any(|p| p.contains(&pair[0]));
        let asks = |f: &&Finding| f.kind == Kind::PairsContradict && f.about.tracks.contains(&pair[0]);
        let asked = c.check.findings.iter().any(|f| asks(&f));
        s.swapped[1] += usize::from(there && (said || asked));
        s.swapped[2] += usize::from(said && !there);
        if there != said && !(there && asked) {
            s.notes.push(format!("pair: {} exchanged {there}, said {said}, asked {asked}", c.tracks[pair[0]].label));
        }
    }
}

/// Neighbours that were taken for one source against their names.
fn joined(s: &mut Score, scene: &Scene, c: &Checked) {
    for row in &c.table.rows {
        for m in row.members.iter().filter(|m| **m != row.home) {
            let (a, b) = (nearest(scene, c, row.home), nearest(scene, c, *m));
            let names = [&c.tracks[row.home].source, &c.tracks[*m].source];
            if a != b && names[0] != names[1] {
                s.joined += 1;
                s.notes.push(format!("joined: {} and {}", c.tracks[row.home].label, c.tracks[*m].label));
            }
        }
    }
}
