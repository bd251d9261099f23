//! A session as a whole: what command line and server both do with it. Recordings come in as sources of sound and leave as files;
//! where they are stored, and who asks, is the caller's.

pub mod accept;
pub mod anew;
pub mod clocks;
pub mod deliver;
pub mod hear;
pub mod names;
pub mod paths_sheet;
pub mod paths_view;
pub mod probes;
pub mod standing;
pub mod tempo;
