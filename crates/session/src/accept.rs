//! Accepting: the changes of tracks that findings and advice propose.

use crate::standing::{FindingView, Judged, Standing};
use marea_core::decide::Check;
use marea_core::decide::case::Advice;
use marea_core::decide::finding::{Change, To};
use marea_core::decide::kind::Kind;
use marea_core::verdict::Verdict;
use thiserror::Error;

/// Why something cannot be taken over.
#[derive(Debug, Clone, PartialEq, Eq, Error)]
pub enum AcceptError {
    /// It was settled meanwhile.
    #[error("this finding is no longer open; the session has changed")]
    NotOpen,
    /// It is only told.
    #[error("nothing is proposed here: {0}")]
    NothingProposed(String),
    /// The advice rests on nothing sure.
    #[error("{0}")]
    Undecided(String),
    /// An empty request.
    #[error("nothing was chosen")]
    Nothing,
}

/// What is taken over, and what the history says of it.
#[derive(Debug, Clone, PartialEq)]
pub struct Accepted {
    /// What tracks become, in the order in which it was asked for.
    pub changes: Vec<Change>,
    /// For people.
    pub label: String,
}

/// Where advice puts a track.
pub fn of_advice(track: usize, advice: &Advice) -> [Change; 2] {
    [To::Offset(advice.offset_frames), To::Inverted(advice.invert)].map(|to| Change { of: track, to })
}

/// Findings by their keys out of `shown`, and advice for `tracks`, by index with what each is called.
///
/// # Errors
/// [`AcceptError`] says what stands in the way; then nothing of it is taken over.
pub fn chosen(
    judged: &Judged,
    shown: &[FindingView],
    keys: &[String],
    tracks: &[(usize, &str)],
) -> Result<Accepted, AcceptError> {
    let (mut changes, mut texts) = (Vec::new(), Vec::new());
    for key in keys {
        let open = |f: &&FindingView| f.key == *key && f.standing != Standing::Agreed;
        let f = &shown.iter().find(open).ok_or(AcceptError::NotOpen)?.finding;
        if f.changes.is_empty() {
            return Err(AcceptError::NothingProposed(f.text.clone()));
        }
        texts.push(f.text.clone());
        changes.extend(f.changes.iter().cloned());
    }
    for (track, name) in tracks {
        let advice = &judged.recorded.tracks[*track];
        if advice.verdict == Verdict::Undecided {
            return Err(AcceptError::Undecided(format!("{name} {}", advice.reason)));
        }
        texts.push(format!("{name}: {}", advice.reason));
        changes.extend(of_advice(*track, advice));
    }
    let label = match texts.as_slice() {
        [] => return Err(AcceptError::Nothing),
        [one] => format!("Accepted: {one}"),
        many => format!("Accepted {} findings: {}", many.len(), many.join(" ")),
    };
    Ok(Accepted { changes, label })
}

/// One answer to the question of an open finding.
///
/// # Errors
/// [`AcceptError`] when it is not open, or asks nothing like that.
pub fn answered(shown: &[FindingView], key: &str, answer: usize) -> Result<Accepted, AcceptError> {
    let open = |f: &&FindingView| f.key == key && f.standing != Standing::Agreed;
    let f = &shown.iter().find(open).ok_or(AcceptError::NotOpen)?.finding;
    let nothing = || AcceptError::NothingProposed(f.text.clone());
    let question = f.question.as_ref().ok_or_else(nothing)?;
    let given = question.answers.get(answer).ok_or_else(nothing)?;
    let label = format!("Answered: {} {}. {}", question.text, given.text, given.then);
    Ok(Accepted { changes: given.changes.clone(), label })
}

/// Everything that is at least so sure: all advice, and the sides of pairs that have changed places.
pub fn everything(check: &Check, least: Verdict) -> Vec<Change> {
    let advised = check.tracks.iter().enumerate().filter(|(_, a)| a.verdict >= least);
    let mut changes: Vec<Change> = advised.flat_map(|(m, a)| of_advice(m, a)).collect();
    let swapped = check.findings.iter().filter(|f| f.kind == Kind::PairSwapped && f.verdict >= least);
    changes.extend(swapped.flat_map(|f| f.changes.iter().cloned()));
    changes
}
