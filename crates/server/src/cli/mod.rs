//! The main job without server or database: `marea check` and `marea align` on files one against another, on a folder as a whole
//! session, or on one file of several channels by itself; `marea paths` on a map of signal paths, `marea probe` on a path
//! that exists, `marea follow` on a print, `marea notes` on a rendered instrument, `marea sync` on recorders with clocks of their own,
//! `marea tempo` on tracks against a grid, `marea hits` on the strokes of a set,
//! `marea tighten` to set them onto a grid, `marea layer` on what doubles a track, `marea takes` on two takes of one part, `marea shadow` on takes that
//! double a lead, `marea pitch` on one voice.

mod args;
mod facts;
mod files;
mod follow;
mod hits;
mod image;
mod layer;
mod notes;
mod pair;
mod paths;
mod pitch;
mod plain;
mod probe;
mod report;
mod scaled;
mod session;
mod shadow;
mod sync;
mod takes;
mod tempo;
mod tighten;
mod write;

pub use args::{Accept, AlignArgs, CheckArgs, Outcome, WriteArgs};
pub use follow::{FollowArgs, Way, run_follow};
pub use hits::{HitsArgs, run_hits};
pub use layer::{LayerArgs, run_layer};
pub use notes::{NotesArgs, run_notes};
pub use paths::{PathsArgs, run_paths};
pub use pitch::{PitchArgs, run_pitch};
pub use probe::{ProbeArgs, run_probe};
pub use shadow::{ShadowArgs, run_shadow};
pub use sync::{SyncArgs, run_sync};
pub use takes::{TakesArgs, run_takes};
pub use tempo::{TempoArgs, run_tempo};
pub use tighten::{TightenArgs, run_tighten};

/// `marea check`.
///
/// # Errors
/// A sentence that names the file.
pub fn run_check(args: &CheckArgs) -> Result<Outcome, String> {
    match args.folder() {
        Some(folder) => session::run_check(folder, args),
        None => {
            args.facts.refuse()?;
            if image::is_meant(args) { image::run_check(args) } else { pair::run_check(args) }
        }
    }
}

/// `marea align`.
///
/// # Errors
/// A sentence that names the file. Recordings are never written over.
pub fn run_align(args: &AlignArgs) -> Result<(), String> {
    match args.check.folder() {
        Some(folder) => session::run_align(folder, args),
        None => {
            args.check.facts.refuse()?;
            if image::is_meant(&args.check) { image::run_align(args) } else { pair::run_align(args) }
        }
    }
}
