//! One pair, as recorded.

use super::kind::Derived;
use super::work::{Work, ended};
use crate::db::tracks::{TrackRow, named};
use crate::error::ServerError;
use crate::tasks::{PairOf, Subject};
use crate::worker::JobError;
use marea_core::measure::pair::options::PairOptions;
use marea_core::measure::pair::{PairMeasurement, measure_pair};
use marea_core::signal::Placed;

impl From<PairOf> for Subject {
    fn from(pair: PairOf) -> Self {
        Self::Pair(pair)
    }
}

impl Derived for PairOf {
    const KIND: &'static str = "pair";
    const METHOD: u32 = 4;
    type Measured = PairMeasurement;

    fn subject(&self) -> String {
        format!("{}+{}", self.a.simple(), self.b.simple())
    }

    fn tracks(&self, all: &[TrackRow]) -> Result<Vec<TrackRow>, ServerError> {
        named(all, &[self.a, self.b])
    }

    fn counts(&self, t: &TrackRow) -> String {
        format!("{}/{}", t.start_frame, t.role)
    }

    fn title(&self, tracks: &[TrackRow]) -> String {
        format!("Measuring {} against {}", tracks[1].name, tracks[0].name)
    }

    fn measure(&self, work: &Work) -> Result<PairMeasurement, JobError> {
        let [a, b] = [&work.tracks[0], &work.tracks[1]];
        let (sa, sb) = (work.open(a)?, work.open(b)?);
        let (pa, pb) = (Placed { source: &sa, start: a.start() }, Placed { source: &sb, start: b.start() });
        let doing = format!("measuring {} against {}", b.name, a.name);
        let options = PairOptions::between(a.role(), b.role());
        measure_pair(&pa, &pb, work.rate, options, &mut |p| work.report(p, &doing)).map_err(ended)
    }
}
