//! Flat tops: samples held at a ceiling.

/// Samples in a row at the ceiling that count as one clipped place.
const CLIPPED_RUN: u32 = 3;
/// Samples within this factor count as equal. The top of a 20 Hz tone stays within it for less than three samples.
const ABOVE: f32 = 1.000_001;
/// Under −6 dBFS a flat top is more likely the top of a slow wave.
pub const CLIPS_FROM: f32 = 0.5;

/// A side whose flat tops lie this much under the peak is not clipped: the rails of 8-bit files differ by less.
const OTHER_RAIL: f32 = 0.99;

/// Counts flat tops on either side of zero: the two rails of integer files are not equally far from it, and a stage may clip
/// only one side.
#[derive(Default)]
pub struct Ceilings {
    above: Ceiling,
    below: Ceiling,
}

impl Ceilings {
    pub fn feed(&mut self, chunk: &[f32]) {
        for &v in chunk {
            self.above.feed(v);
            self.below.feed(-v);
        }
    }

    pub fn places(&self, peak: f32) -> u32 {
        let of = |side: &Ceiling| if side.height < (peak * OTHER_RAIL).max(CLIPS_FROM) { 0 } else { side.places };
        of(&self.above).saturating_add(of(&self.below))
    }
}

/// Flat tops of one side. Clipping in an earlier stage may sit under full scale, so runs are kept by their height.
#[derive(Default)]
struct Ceiling {
    height: f32,
    places: u32,
    run: u32,
}

impl Ceiling {
    fn feed(&mut self, v: f32) {
        if v > self.height * ABOVE {
            // A new ceiling: what was flat below it was not the ceiling.
            (self.height, self.places, self.run) = (v, 0, 1);
        } else if v > 0.0 && v * ABOVE >= self.height {
            self.run += 1;
            if self.run == CLIPPED_RUN {
                self.places = self.places.saturating_add(1);
            }
        } else {
            self.run = 0;
        }
    }
}
