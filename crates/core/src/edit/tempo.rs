//! Bars and beats along a session's frames.

/// One tempo from its first beat on, and before it as well.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Tempo {
    /// Quarter notes a minute, above 0.
    pub bpm: f64,
    /// Session frame at which bar 1 begins.
    pub first_beat_frame: f64,
    /// Quarters in a bar, at least 1.
    pub beats_a_bar: u32,
}

impl Default for Tempo {
    /// 120 quarters a minute in four-four from frame 0.
    fn default() -> Self {
        Self { bpm: 120.0, first_beat_frame: 0.0, beats_a_bar: 4 }
    }
}

impl Tempo {
    /// Frames from one beat to the next.
    pub fn beat_frames(&self, rate_hz: f64) -> f64 {
        rate_hz * 60.0 / self.bpm
    }

    /// The beat at or before a session frame, counted from 0 at the first one, and the frames since it.
    pub fn beat_at(&self, frame: f64, rate_hz: f64) -> (f64, f64) {
        let length = self.beat_frames(rate_hz);
        let beat = ((frame - self.first_beat_frame) / length).floor();
        (beat, frame - self.first_beat_frame - beat * length)
    }

    /// Does a bar begin with this beat?
    pub fn begins_bar(&self, beat: f64) -> bool {
        beat.rem_euclid(f64::from(self.beats_a_bar.max(1))) == 0.0
    }
}
