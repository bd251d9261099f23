//! Linear time code recorded as audio: 80 bits a frame, each ending in a change of sign, ones with another one in their middle
//! (SMPTE ST 12-1; from memory).

use super::count::{Code, Count};
use crate::dsp::stats::{line, median};
use crate::progress::{MeasureError, Progress};
use crate::signal::{Source, index};
use crate::units::SampleRate;

/// Bits of a frame.
const BITS: usize = 80;
/// The last 16 of them, as they come.
const SYNC: u16 = 0b0011_1111_1111_1101;
/// Frames a second that are accepted, before a count is settled.
const RATES: [f64; 2] = [20.0, 36.0];
/// The sign changes once the sound has passed this part of its recent peak.
const PASSED: f32 = 0.25;
/// The recent peak falls by half in so many seconds.
const HALVES_S: f64 = 0.05;
/// Below −60 dBFS nothing is a code.
const LOWEST: f32 = 1e-3;
/// Spans belong to a length within this part of it.
const SPREAD: f64 = 0.15;
/// Read at once, in frames of the recording.
const BLOCK: usize = 1 << 16;
/// A frame of the code that was read.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Stamp {
    /// Where it begins, in frames of the recording.
    pub at: f64,
    /// Its number.
    pub code: Code,
}

/// A code that runs through a recording.
#[derive(Debug, Clone, PartialEq)]
pub struct Linear {
    /// How it counts.
    pub count: Count,
    /// Every frame that was read, in order.
    pub stamps: Vec<Stamp>,
    /// Frames of the code between the first and the last that were not read.
    pub missing: usize,
}

impl Linear {
    /// Seconds since midnight of the code at the recording's beginning, by the median of all frames. Past midnight it goes on counting.
    pub fn beginning_s(&self, rate: SampleRate) -> Option<f64> {
        let day = self.count.seconds(self.count.day());
        let mut all: Vec<f64> = Vec::with_capacity(self.stamps.len());
        for s in &self.stamps {
            let told = self.count.seconds(self.count.since_midnight(&s.code)?) - s.at / rate.hz_f64();
            let near = all.first().map_or(told, |first: &f64| told + ((first - told) / day).round() * day);
            all.push(near);
        }
        median(&mut all).map(|s| s.rem_euclid(day))
    }
}

/// Reads a linear code that runs forwards; none when there is no code.
///
/// # Errors
/// [`MeasureError`] when the recording cannot be read or `progress` says stop.
pub fn read(source: &dyn Source, rate: SampleRate, progress: Progress) -> Result<Option<Linear>, MeasureError> {
    let changes = changes(source, rate, progress)?;
    let Some(length) = bit(&changes, rate) else { return Ok(None) };
    let mut bits = Bits::new(length);
    let mut stamps = Vec::new();
    for pair in changes.windows(2) {
        stamps.extend(bits.take(pair[0], pair[1]));
    }
    Ok(settled(stamps, rate))
}

/// Where the sign changes, between frames.
fn changes(source: &dyn Source, rate: SampleRate, progress: Progress) -> Result<Vec<f64>, MeasureError> {
    let total = source.frames();
    // A short mean takes the noise down and leaves the changes where they are: an eighth of the shortest bit.
    let reach = (rate.hz_f64() / RATES[1] / BITS as f64 / 8.0).round().max(1.0) as usize;
    let falls = 0.5f64.powf(1.0 / (HALVES_S * rate.hz_f64())) as f32;
    let mut found = Vec::new();
    let (mut peak, mut sign, mut crossed, mut last) = (0f32, 0i8, None, 0f32);
    let mut x = vec![0f32; BLOCK + 2 * reach + 1];
    let mut at = 0;
    while at < total {
        if !progress(at as f64 / total as f64) {
            return Err(MeasureError::Stopped);
        }
        source.read(at - reach as i64, &mut x)?;
        let count = BLOCK.min(index(total - at));
        for n in 0..count {
            let v = x[n..=n + 2 * reach].iter().sum::<f32>() / (2 * reach + 1) as f32;
            peak = (peak * falls).max(v.abs());
            if (v > 0.0) != (last > 0.0) {
                let part = f64::from(last) / f64::from(last - v);
                crossed = Some((at + n as i64) as f64 - 1.0 + if part.is_finite() { part } else { 1.0 });
            }
            last = v;
            let now = if v > PASSED * peak {
                1
            } else if v < -PASSED * peak {
                -1
            } else {
                0
            };
            if now != 0 && now != sign && peak > LOWEST {
                // Of several crossings within noise the last before it passes is taken; the first may come out of silence.
                found.push(crossed.unwrap_or((at + n as i64) as f64));
                sign = now;
            }
        }
        at += BLOCK as i64;
    }
    Ok(found)
}

/// The length of a bit that most spans between changes are, or are half of; none when fewer than half are either.
fn bit(changes: &[f64], rate: SampleRate) -> Option<f64> {
    let mut spans: Vec<f64> = changes.windows(2).map(|c| c[1] - c[0]).collect();
    spans.sort_by(f64::total_cmp);
    let [longest, shortest] = RATES.map(|r| rate.hz_f64() / r / BITS as f64);
    let about = |length: f64| {
        let [from, to] = [1.0 - SPREAD, 1.0 + SPREAD].map(|part| spans.partition_point(|s| *s < part * length));
        to - from
    };
    let fits = |length: f64| about(length) + about(0.5 * length);
    let steps = ((longest / shortest).ln() / 0.01).ceil() as i32;
    let lengths = (0..=steps).map(|n| shortest * (0.01 * f64::from(n)).exp());
    let best = lengths.max_by_key(|l| fits(*l))?;
    (2 * fits(best) > spans.len() && !spans.is_empty()).then_some(best)
}

/// Bits as they come, and the length of one as it goes.
struct Bits {
    /// As most are.
    usual: f64,
    length: f64,
    /// Beginning of a first half.
    half: Option<f64>,
    /// Newest last: the bit and where it begins.
    taken: Vec<(bool, f64)>,
    word: u16,
    /// A frame ended right before the first bit taken.
    follows: bool,
}

impl Bits {
    fn new(usual: f64) -> Self {
        Self { usual, length: usual, half: None, taken: Vec::new(), word: 0, follows: false }
    }

    /// Takes the time between two changes; the frame that ends with it, if one does. Of a frame that follows none both readings of its
    /// first bit are given, which may be noise: one of them does not lead to the next frame.
    fn take(&mut self, from: f64, to: f64) -> Vec<Stamp> {
        let span = to - from;
        let whole = span > 0.75 * self.length;
        if span > 1.6 * self.length || span < 0.2 * self.length {
            self.lost();
            return Vec::new();
        }
        let (bit, begins, length) = match (whole, self.half.take()) {
            (true, None) => (false, from, span),
            (false, Some(begins)) => (true, begins, to - begins),
            (false, None) => {
                self.half = Some(from);
                return Vec::new();
            }
            // Half a bit and then a whole one: the halves were taken the wrong way round.
            (true, Some(_)) => (false, from, span),
        };
        self.length += 0.05 * (length.clamp((1.0 - SPREAD) * self.usual, (1.0 + SPREAD) * self.usual) - self.length);
        self.taken.push((bit, begins));
        self.word = self.word << 1 | u16::from(bit);
        if self.word != SYNC || self.taken.len() < BITS - 1 {
            // Older bits belong to no frame any more.
            let old = self.taken.len().saturating_sub(BITS);
            self.taken.drain(..if old > BITS { old } else { 0 });
            return Vec::new();
        }
        // Right after a frame all is known; otherwise the first bit may be noise.
        let sure = std::mem::replace(&mut self.follows, true) && self.taken.len() == BITS;
        let frame = self.taken.split_off(self.taken.len() + 1 - BITS);
        let firsts = if sure { vec![self.taken[0].0] } else { vec![false, true] };
        self.taken.clear();
        let Some(at) = beginning(&frame) else { return Vec::new() };
        let rest = || frame.iter().map(|b| b.0);
        let read = firsts.into_iter().map(|first| std::iter::once(first).chain(rest()).collect::<Vec<_>>());
        read.filter_map(|bits| Some(Stamp { at, code: number(&bits)? })).collect()
    }

    fn lost(&mut self) {
        self.follows = false;
        self.half = None;
        self.taken.clear();
        self.word = 0;
    }
}

/// Where a frame begins, by the straight line through the beginnings of all its bits but the first; those far off it, which began in
/// noise, are left out.
fn beginning(bits: &[(bool, f64)]) -> Option<f64> {
    let mut points: Vec<(f64, f64)> = bits.iter().enumerate().map(|(k, b)| ((k + 1) as f64, b.1)).collect();
    let (at, a_bit) = line(&points)?;
    points.retain(|(k, place)| (place - at - k * a_bit).abs() < 0.2 * a_bit);
    line(&points).map(|l| l.0)
}

/// The number in a frame's bits: each digit lowest bit first.
fn number(frame: &[bool]) -> Option<Code> {
    let digit = |from: usize, bits: usize| (0..bits).map(|k| u8::from(frame[from + k]) << k).sum::<u8>();
    let two = |ones: usize, tens: usize, bits: usize| {
        let (o, t) = (digit(ones, 4), digit(tens, bits));
        (o < 10).then_some(10 * t + o)
    };
    let code = Code {
        frames: two(0, 8, 2)?,
        seconds: two(16, 24, 3)?,
        minutes: two(32, 40, 3)?,
        hours: two(48, 56, 2)?,
        drop: frame[10],
    };
    (code.hours < 24 && code.minutes < 60 && code.seconds < 60 && code.frames < 30).then_some(code)
}

/// The count, by the frames' length and the largest number; frames that do not follow their neighbours are dropped.
fn settled(stamps: Vec<Stamp>, rate: SampleRate) -> Option<Linear> {
    let drop = 2 * stamps.iter().filter(|s| s.code.drop).count() > stamps.len();
    // Two readings of one frame are no time apart.
    let mut lengths: Vec<f64> = stamps.windows(2).map(|s| s[1].at - s[0].at).filter(|l| *l > 0.0).collect();
    let a_second = rate.hz_f64() / median(&mut lengths)?;
    let exact = mean_rate(&stamps, rate, a_second);
    let off = |c: &Count| (c.frames_a_second() - exact).abs();
    let fitting = Count::ALL.into_iter().filter(|c| c.drops() == drop);
    let count = fitting.min_by(|a, b| off(a).total_cmp(&off(b)))?;
    // A recorder's clock is off by less than a hundredth of a per cent; 29.97 and 30 differ by a tenth.
    if off(&count) > 0.02 * count.frames_a_second() {
        return None;
    }
    let stamps: Vec<Stamp> = stamps.into_iter().filter(|s| count.since_midnight(&s.code).is_some()).collect();
    let follows = |a: &Stamp, b: &Stamp| {
        let (x, y) = (count.since_midnight(&a.code), count.since_midnight(&b.code));
        let passed = ((b.at - a.at) / rate.hz_f64() * count.frames_a_second()).round();
        x.zip(y).is_some_and(|(x, y)| (f64::from(x) + passed - f64::from(y)).rem_euclid(f64::from(count.day())) == 0.0)
    };
    let at = |n: usize| stamps[n].at;
    let kept: Vec<Stamp> = (0..stamps.len())
        .filter(|n| {
            let before = (0..*n).rev().find(|p| at(*p) < at(*n)).is_some_and(|p| follows(&stamps[p], &stamps[*n]));
            let after = (n + 1..stamps.len()).find(|next| at(*next) > at(*n));
            before || after.is_some_and(|next| follows(&stamps[*n], &stamps[next]))
        })
        .map(|n| stamps[n])
        .collect();
    let (first, last) = (kept.first()?, kept.last()?);
    let spanned = ((last.at - first.at) / rate.hz_f64() * count.frames_a_second()).round() as usize + 1;
    let missing = spanned.saturating_sub(kept.len());
    Some(Linear { count, stamps: kept, missing })
}

/// Frames a second over the longest part in which each number follows the one before.
fn mean_rate(stamps: &[Stamp], rate: SampleRate, about: f64) -> f64 {
    let frame = rate.hz_f64() / about;
    let (mut best, mut from) = ((0, about), 0);
    for n in 1..=stamps.len() {
        if n < stamps.len() && ((stamps[n].at - stamps[n - 1].at) / frame - 1.0).abs() < 0.1 {
            continue;
        }
        let frames = n - 1 - from;
        if frames > best.0 {
            best = (frames, frames as f64 * rate.hz_f64() / (stamps[n - 1].at - stamps[from].at));
        }
        from = n;
    }
    best.1
}
