//! What is said of the polarity of every microphone.

use super::turning::Turning;
use crate::verdict::Verdict;

/// One microphone.
#[derive(Debug, Clone)]
pub(super) struct Mic {
    /// Sign of its attacks, by which wiring is told: −1 inverted.
    pub(super) attack: i8,
    /// How sure the wiring is; none where it hears nothing.
    pub(super) wiring: Option<Verdict>,
    /// The polarity that keeps more of the sound: −1 inverted.
    pub(super) sign: i8,
    /// How sure that is; none where it hears nothing.
    pub(super) verdict: Option<Verdict>,
    /// Other sources whose signs agree with the answer, and those that contradict it.
    pub(super) for_it: usize,
    pub(super) against: usize,
    pub(super) hits: usize,
    /// Only its own source was measured: wiring and placement look alike.
    pub(super) either: bool,
    /// Its own source is heard clearly, by it or by others: enough to report an opposed arrival.
    pub(super) clearly: bool,
    /// Its own source arrives the other way up than its attacks elsewhere.
    pub(super) own_against: bool,
    /// Lows arrive one way up, attacks the other.
    pub(super) turning: Option<Turning>,
    /// The row of its own source.
    pub(super) own: Option<usize>,
}

impl Mic {
    pub(super) fn wired(&self) -> bool {
        self.attack < 0 && self.turning.is_none()
    }

    /// Its own source keeps more the other way up than its wiring says.
    pub(super) fn opposed(&self) -> bool {
        self.turning.is_none() && self.sign != self.attack
    }
}

/// All of them.
pub struct Judged {
    pub(super) mics: Vec<Mic>,
    pub(super) rows: Vec<i8>,
}

impl Judged {
    /// Sign of a row's home on its own source.
    pub fn row(&self, i: usize) -> i8 {
        self.rows[i]
    }

    /// Wired inverted.
    pub fn wired(&self, m: usize) -> bool {
        self.mics[m].wired() && self.mics[m].wiring.is_some_and(|v| v > Verdict::Undecided)
    }

    /// To be inverted for its own source and for the whole.
    pub fn inverted(&self, m: usize) -> bool {
        let mic = &self.mics[m];
        mic.sign < 0 && mic.verdict.is_some_and(|v| v > Verdict::Undecided)
    }

    /// In a few words.
    pub fn why(&self, m: usize) -> &'static str {
        let mic = &self.mics[m];
        match () {
            () if mic.turning.is_some() => "its phase turns, and the lows keep more so",
            () if mic.either => "opposed to its neighbour",
            () if mic.wired() => "wired inverted",
            () if mic.opposed() => "opposed by placement",
            () => "as it is",
        }
    }

    /// How sure; solid where nothing speaks against it.
    pub fn verdict(&self, m: usize) -> Verdict {
        self.mics[m].verdict.unwrap_or(Verdict::Solid)
    }
}
