//! A lead and takes that double it: other voices, a whisper, strings; each with its own timing, and with words that are missing or added.

use crate::instruments::{add, bowed, plucked};
use crate::takes::elsewhere;
use crate::voice::{Consonant, Singer, Sung, Written, normal, sing};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;

const HZ: f64 = 48_000.0;
/// Words are added where the lead rests this long, in seconds.
const REST_S: f64 = 1.1;
/// Highest peak of a recording.
const MOST: f32 = 0.9;

/// Who or what doubles the lead.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum How {
    /// The lead's own voice.
    Same,
    /// Another voice, at the same pitch or an octave or third away.
    Other,
    /// A whisper.
    Whispered,
    /// The melody, plucked.
    Plucked,
    /// The melody, bowed.
    Bowed,
}

impl How {
    /// All of them.
    pub const ALL: [Self; 5] = [Self::Same, Self::Other, Self::Whispered, Self::Plucked, Self::Bowed];

    /// Of strings, not a voice.
    pub fn is_played(self) -> bool {
        matches!(self, Self::Plucked | Self::Bowed)
    }
}

/// A moment of the lead and the same of a take.
#[derive(Debug, Clone, Copy)]
pub struct Moment {
    /// Frame of the lead, frame of the take.
    pub at: [f64; 2],
    /// A vowel or a note begins, not a consonant.
    pub is_vowel: bool,
}

/// A take that doubles the lead.
pub struct Double {
    /// Who or what.
    pub how: How,
    /// At 48 kHz.
    pub sound: Vec<f32>,
    /// Where a consonant begins and where its vowel does.
    pub moments: Vec<Moment>,
    /// From and to, in the lead's frames: what the take does not have.
    pub missing: Vec<[f64; 2]>,
    /// From and to, in the take's frames: what the lead does not have.
    pub added: Vec<[f64; 2]>,
}

impl Double {
    /// Where vowels and notes begin: frame of the lead, frame of the take.
    pub fn vowels(&self) -> impl Iterator<Item = [f64; 2]> {
        self.moments.iter().filter(|m| m.is_vowel).map(|m| m.at)
    }
}

/// A lead and its doubles.
pub struct Doubles {
    /// At 48 kHz.
    pub lead: Vec<f32>,
    /// The lead's pitch in Hz every 5 ms, where there is one.
    pub pitch_hz: Vec<Option<f64>>,
    /// Followers.
    pub takes: Vec<Double>,
}

/// The lead of a seed, about so many seconds long, and a double of each kind that is asked for. Strings double strings: the lead is played
/// where the first kind is.
pub fn doubles(seconds: f64, seed: u64, kinds: &[How]) -> Doubles {
    let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(0x00d0_ab1e).wrapping_add(11));
    let rng = &mut rng;
    let bpm = rng.random_range(66.0..122.0);
    let text = written(rng, seconds * bpm / 60.0);
    let second = 60.0 / bpm;
    let singer = Singer::any(rng);
    let led: Vec<Sung> =
        text.iter().map(|w| timed(w, 0.5 + w.quarter * second + 0.012 * normal(rng), second, rng)).collect();
    let whole = seconds + 3.0;
    let played_by = kinds.first().copied().filter(|how| how.is_played());
    let (lead, pitch_hz) = match played_by {
        Some(how) => (played(how, &led, whole, rng), Vec::new()),
        None => {
            let voice = sing(&singer, &led, whole, rng);
            (voice.sound, voice.pitch_hz)
        }
    };
    let takes = kinds.iter().map(|how| double(*how, (&singer, &led), whole, rng)).collect();
    Doubles { lead: recorded(elsewhere(lead, rng)), pitch_hz, takes }
}

/// Phrases of syllables on a scale, with rests between.
fn written(rng: &mut ChaCha8Rng, quarters: f64) -> Vec<Written> {
    let scale = [0.0, 2.0, 4.0, 5.0, 7.0, 9.0, 11.0];
    let tonic = f64::from(rng.random_range(50..62u8));
    let (mut all, mut at, mut step) = (Vec::new(), 0.0, 2i32);
    while at < quarters {
        for _ in 0..rng.random_range(3..10) {
            let lasts = [0.5, 0.5, 0.5, 1.0, 1.0, 1.5, 0.25][rng.random_range(0..7)];
            step = (step + rng.random_range(-2..=2)).clamp(-2, 8);
            let key = tonic + scale[step.rem_euclid(7) as usize] + 12.0 * f64::from(step.div_euclid(7));
            all.push(Written {
                quarter: at,
                lasts,
                key,
                consonant: Consonant::any(rng),
                vowel: rng.random_range(0..9),
            });
            at += lasts;
        }
        at += [0.5, 1.0, 2.0, 3.0][rng.random_range(0..4)];
    }
    all.retain(|w| w.quarter + w.lasts < quarters);
    all
}

/// A written syllable whose vowel begins at a moment.
fn timed(written: &Written, at: f64, second: f64, rng: &mut ChaCha8Rng) -> Sung {
    let ends = at + (written.lasts * second * rng.random_range(0.82..0.97)).max(0.09);
    Sung { written: *written, at, ends, force: rng.random_range(0.45..1.0) }
}

/// Sings or plays the lead's syllables in its own time.
fn double(how: How, (singer, led): (&Singer, &[Sung]), whole: f64, rng: &mut ChaCha8Rng) -> Double {
    let mut own = Singer { quick: singer.quick * rng.random_range(0.85..1.18), ..singer.clone() };
    if matches!(how, How::Other | How::Whispered) {
        let above = [0.0, 0.0, 12.0, -12.0, 4.0, -5.0][rng.random_range(0..6)];
        own = Singer { above, ..Singer::any(rng) };
    }
    if how == How::Whispered {
        own.breath = 1.0;
    }
    let left_out = left_out(led, rng);
    let (mut wander, mut phrase, mut sung, mut moments) = (0.02 * normal(rng), 0.0, Vec::<Sung>::new(), Vec::new());
    let mut missing: Vec<[f64; 2]> = Vec::new();
    let mut ends = 0.0;
    for (n, one) in led.iter().enumerate() {
        if n == 0 || one.at - led[n - 1].ends > 0.25 {
            phrase = 0.03 * normal(rng);
        }
        wander = (wander + 0.012 * normal(rng)).clamp(-0.1, 0.1);
        let least: f64 = ends + 0.03 + own.before_s(&one.written);
        let at = (one.at + wander + phrase + 0.012 * normal(rng)).max(least);
        let lasts = (one.ends - one.at) * rng.random_range(0.8..1.2);
        let next = led.get(n + 1).map_or(f64::MAX, |o| o.at + wander + phrase - 0.02);
        ends = (at + lasts).min(next).max(at + 0.07);
        let begins = |s: &Singer, at: f64| at - s.before_s(&one.written);
        if left_out[n] {
            let from = begins(singer, one.at) * HZ;
            match missing.last_mut().filter(|m| n > 0 && left_out[n - 1] && from - m[1] < 0.2 * HZ) {
                Some(m) => m[1] = one.ends * HZ,
                None => missing.push([from, one.ends * HZ]),
            }
            continue;
        }
        sung.push(Sung { at, ends, force: rng.random_range(0.45..1.0), ..*one });
        if !how.is_played() && begins(singer, one.at) < one.at {
            // A hiss swells: it is half there after this, in seconds.
            let swells = if matches!(one.written.consonant, Consonant::Hiss(_)) { 0.01 } else { 0.0 };
            let begins = [begins(singer, one.at), begins(&own, at)].map(|s| (s + swells) * HZ);
            moments.push(Moment { at: begins, is_vowel: false });
        }
        moments.push(Moment { at: [one.at * HZ, at * HZ], is_vowel: true });
    }
    let added = more(led, &mut sung, rng);
    let sound = match how {
        how if how.is_played() => played(how, &sung, whole, rng),
        _ => sing(&own, &sung, whole, rng).sound,
    };
    Double { how, sound: recorded(elsewhere(sound, rng)), moments, missing, added }
}

/// Turned down to where no file clips, as whoever records does.
fn recorded(mut sound: Vec<f32>) -> Vec<f32> {
    let peak = sound.iter().fold(0f32, |m, v| m.max(v.abs()));
    if peak > MOST {
        sound.iter_mut().for_each(|v| *v *= MOST / peak);
    }
    sound
}

/// One or two runs of one to four syllables.
fn left_out(led: &[Sung], rng: &mut ChaCha8Rng) -> Vec<bool> {
    let mut out = vec![false; led.len()];
    for _ in 0..rng.random_range(1..3) {
        let from = rng.random_range(0..led.len().max(2));
        let long = rng.random_range(1..5);
        out.iter_mut().skip(from).take(long).for_each(|o| *o = true);
    }
    out
}

/// Some syllables where the lead rests.
fn more(led: &[Sung], sung: &mut Vec<Sung>, rng: &mut ChaCha8Rng) -> Vec<[f64; 2]> {
    let mut added = Vec::new();
    for pair in led.windows(2) {
        let (from, to) = (pair[0].ends + 0.3, pair[1].at - 0.35);
        if pair[1].at - pair[0].ends < REST_S || rng.random_bool(0.5) || added.len() > 1 {
            continue;
        }
        let count = (((to - from) / 0.25) as usize).clamp(1, 3);
        let words: Vec<Sung> = (0..count)
            .map(|n| {
                let at = from + 0.12 + (to - from - 0.12) * n as f64 / count as f64;
                let ends = at + 0.7 * (to - from - 0.12) / count as f64;
                Sung { at, ends, written: Written { vowel: rng.random_range(0..9), ..pair[0].written }, force: 0.7 }
            })
            .collect();
        added.push([words[0].at * HZ, words[count - 1].ends * HZ]);
        sung.extend(words);
    }
    sung.sort_by(|a, b| a.at.total_cmp(&b.at));
    added
}

fn played(how: How, sung: &[Sung], whole: f64, rng: &mut ChaCha8Rng) -> Vec<f32> {
    let mut sound = vec![0f32; (whole * HZ) as usize];
    for one in sung {
        let lasts = (one.ends - one.at).max(0.15);
        let note = match how {
            How::Plucked => plucked(HZ, one.written.key, one.force, lasts + 0.2, rng),
            _ => bowed(HZ, one.written.key, one.force, lasts + 0.08, rng),
        };
        let fades = 0.02 * HZ;
        let len = note.len() as f64;
        let note: Vec<f32> =
            note.iter().enumerate().map(|(n, v)| v * (((len - n as f64) / fades).min(1.0) as f32)).collect();
        add(&mut sound, (one.at * HZ) as i64, &note, 0.3);
    }
    sound
}
