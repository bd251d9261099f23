//! The image of tracks that are channels of one recording, as they are carried.

use super::kind::Derived;
use super::work::{Work, ended};
use crate::db::tracks::{TrackRow, named};
use crate::error::ServerError;
use crate::hash::Sum;
use crate::tasks::{ImageOf, Subject};
use crate::worker::JobError;
use marea_core::measure::image::{Image, measure_image};
use marea_core::render::track::Carried;
use marea_core::signal::{Placed, Source};
use marea_core::units::SessionFrame;

impl From<ImageOf> for Subject {
    fn from(image: ImageOf) -> Self {
        Self::Image(image)
    }
}

impl Derived for ImageOf {
    const KIND: &'static str = "image";
    const METHOD: u32 = 1;
    type Measured = Image;

    fn subject(&self) -> String {
        let mut hash = Sum::default();
        // Of ranges only the last is kept.
        hash.update([u8::from(self.range.is_some())]);
        self.tracks.iter().for_each(|t| hash.update(t.as_bytes()));
        hash.hex()
    }

    fn tracks(&self, all: &[TrackRow]) -> Result<Vec<TrackRow>, ServerError> {
        named(all, &self.tracks)
    }

    fn counts(&self, t: &TrackRow) -> String {
        format!("{}/{}/{:?}", t.start_frame, hex::encode(&t.carried.id), self.range)
    }

    fn title(&self, tracks: &[TrackRow]) -> String {
        format!("Looking at the image of {}", tracks[0].name)
    }

    fn measure(&self, work: &Work) -> Result<Image, JobError> {
        let files = work.tracks.iter().map(|t| work.open(t)).collect::<Result<Vec<_>, _>>()?;
        let carried: Vec<Carried> =
            work.tracks.iter().zip(&files).map(|(t, source)| Carried::new(t.played(source, work.rate))).collect();
        let first = carried.iter().map(Carried::first).min().unwrap_or(0);
        let end = carried.iter().map(Source::frames).max().unwrap_or(0);
        let (first, end) = self.range.map_or((first, end), |[from, to]| (from.max(first), to.min(end)));
        let placed: Vec<Placed> = carried.iter().map(|source| Placed { source, start: SessionFrame(0) }).collect();
        let mut report = |p| work.report(p, "looking at how the channels stand");
        measure_image(&placed, first..end, work.rate, &mut report).map_err(ended)
    }
}
