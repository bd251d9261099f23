//! What is plainly wrong with a file by itself.

use super::files::Loaded;
use marea_core::decide::kind::{Kind, Severity};
use marea_core::decide::plain;
use marea_core::measure::table::survey::Survey;
use marea_core::signal::Placed;
use marea_core::units::{SampleRate, SessionFrame};
use marea_core::verdict::Verdict;
use serde::Serialize;

/// What is plainly wrong with a channel by itself.
#[derive(Debug, Serialize)]
pub struct PlainReport {
    /// dead, clipped, dc-offset or noisy.
    pub kind: Kind,
    /// Base name.
    pub file: String,
    /// From 1.
    pub channel: u16,
    /// Severity.
    pub severity: Severity,
    /// Certainty.
    pub verdict: Verdict,
    /// In a sentence.
    pub text: String,
    /// What to do.
    pub advice: String,
}

/// What is plainly wrong with each channel by itself.
pub(super) fn plain_findings(files: &[Loaded], rate: SampleRate) -> Result<Vec<PlainReport>, String> {
    let mut of = Vec::new();
    for file in files {
        for (source, channel) in file.channels.iter().zip(1u16..) {
            let label =
                if file.channels.len() > 1 { format!("{}, channel {channel},", file.name) } else { file.name.clone() };
            let survey = Survey::of(&Placed { source, start: SessionFrame(0) }, rate, &mut |_| true)
                .map_err(|e| format!("{}: {e}", file.path.display()))?;
            of.push((label, survey.facts, &file.name, channel));
        }
    }
    let found = plain::of_files(of.iter().map(|(label, facts, ..)| (label.as_str(), facts)));
    Ok(found
        .into_iter()
        .map(|f| {
            let (_, _, file, channel) = &of[f.about.tracks[0]];
            PlainReport {
                kind: f.kind,
                file: (*file).clone(),
                channel: *channel,
                severity: f.severity,
                verdict: f.verdict,
                text: f.text,
                advice: f.advice,
            }
        })
        .collect())
}

pub(super) fn print_plain(found: &[PlainReport]) {
    for f in found {
        say!("{}: {} {}", format!("{:?}, {:?}", f.severity, f.verdict).to_lowercase(), f.text, f.advice);
    }
}
