//! What a sign counts, by who hears it and of what.

/// Weight of a likely sign; a solid one counts 1.
pub(super) const LIKELY_SIGN_COUNTS: f64 = 0.25;

/// Weight of a sign on a source whose own microphones hear it with both signs (a drum pushes on one side and pulls on the other),
/// for room microphones, which mostly stand in front, and for microphones at other sources, which may stand on either side.
pub(super) const TWO_SIDED_COUNTS: f64 = 0.5;
pub(super) const TWO_SIDED_NEAR_COUNTS: f64 = 0.1;
/// The same for a microphone at that source itself: three likely signs of other sources outweigh it, two do not.
pub(super) const OWN_TWO_SIDED_COUNTS: f64 = 0.6;

/// Weight of a main microphone's sign against that of another microphone.
pub(super) const MAIN_COUNTS: f64 = 2.0;
