//! What is asked on the command line.

use super::facts::FactArgs;
use clap::Args;
use marea_core::verdict::Verdict;
use std::path::{Path, PathBuf};

/// What a run of the command found.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Outcome {
    /// Nothing to report.
    Clean,
    /// There are findings.
    Findings,
}

/// Files to measure.
#[derive(Debug, Args)]
pub struct CheckArgs {
    /// Recordings of one event; or one folder, whose recordings are checked as a whole session; or one file of several
    /// channels, whose image is checked.
    #[arg(required = true)]
    pub files: Vec<PathBuf>,
    /// File the others are measured against (the first by default); in a folder, the one that keeps its polarity.
    #[arg(long)]
    pub anchor: Option<PathBuf>,
    /// What is known of the room.
    #[command(flatten)]
    pub facts: FactArgs,
    /// Print JSON (docs/check.schema.json) instead of a table.
    #[arg(long)]
    pub json: bool,
}

/// Files to align.
#[derive(Debug, Args)]
pub struct AlignArgs {
    /// What to measure.
    #[command(flatten)]
    pub check: CheckArgs,
    /// Folder for the aligned files.
    #[arg(long)]
    pub out: PathBuf,
    /// Least certainty that moves a file.
    #[arg(long, value_enum, default_value = "likely")]
    pub accept: Accept,
    /// How they are written.
    #[command(flatten)]
    pub write: WriteArgs,
}

/// How files are written.
#[derive(Debug, Args)]
pub struct WriteArgs {
    /// In what format, and over what.
    #[command(flatten)]
    pub format: FormatArgs,
    /// Begin at the earliest sound instead of the anchor's (or the send's) beginning, so that nothing is left out.
    #[arg(long)]
    pub keep_head: bool,
}

/// In what format files are written, and whether over others.
#[derive(Debug, Clone, Args)]
pub struct FormatArgs {
    /// Write 32-bit float instead of 24-bit integer.
    #[arg(long)]
    pub float: bool,
    /// Replace files that are in the folder already. Recordings are never replaced.
    #[arg(long)]
    pub overwrite: bool,
}

/// Least certainty.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub enum Accept {
    /// Only what is clear from every side.
    Solid,
    /// Also what is probably right.
    Likely,
}

impl CheckArgs {
    /// The folder, when a single one was named.
    pub(super) fn folder(&self) -> Option<&Path> {
        self.files.first().filter(|f| self.files.len() == 1 && f.is_dir()).map(PathBuf::as_path)
    }
}

impl AlignArgs {
    pub(super) fn least(&self) -> Verdict {
        if self.accept == Accept::Solid { Verdict::Solid } else { Verdict::Likely }
    }
}
