//! Following a print: a return that was recorded again (tape, outboard) against the send it was made from. Its lag changes along time; all
//! of the change is measured, in steps that go from coarse to fine.
//!
//! 1. Where the print lies and how fast it runs, from long windows (`coarse`).
//! 2. A lag every 10 ms by the path of least cost through short correlations (`track`).
//! 3. The print is predicted from the send, and the lag corrected until the prediction is as good as it gets: Gauss–Newton steps with an
//!    upper band edge that rises (`refine`).
//!
//! Work is done at lowered rates, each just high enough for its band.

mod band;
mod coarse;
mod curve;
mod fill;
mod followed;
mod frames;
mod model;
mod print;
mod quick;
mod read;
mod refine;
mod sends;
mod spectrum;
mod track;
mod walker;

pub use followed::{Followed, Left, Way, Wow, onto};
pub use print::{LONGEST_S, follow, left_along};
pub use quick::follow_straight;
pub use sends::{Candidate, Sends, find_send};
pub use spectrum::{Swung, wow_spectrum};
pub use walker::walker;
