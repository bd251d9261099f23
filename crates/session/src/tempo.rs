//! A tempo, whatever gives it, and tracks against it: what command line and server both answer.

use marea_core::edit::tempo::TempoMap;
use marea_core::grid::{Against, against, beside, clicks, nothing, steady};
use marea_core::onsets::Stroke;
use marea_core::progress::{MeasureError, Progress};
use marea_core::signal::Source;
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;

/// What tracks are held against.
#[derive(Debug, Clone, Default)]
pub struct Reference {
    /// Where beats fall; none where no tempo was found, or where a track's strokes are the reference.
    pub map: Option<TempoMap>,
    /// Tempi that may be meant as well: half and double.
    pub or_bpm: Vec<f64>,
    /// Accents tell where bars begin.
    pub accented: bool,
    /// A track that says nothing of itself: it gives the tempo, or its strokes are the reference. By its place among the tracks.
    pub own: Option<usize>,
    /// Every track's tempo is that track's: what stands to it is likely at most.
    by_track: bool,
    /// The strokes that the others are held against.
    strokes: Option<Vec<Stroke>>,
}

impl Reference {
    /// A tempo that is known.
    pub fn map(map: TempoMap) -> Self {
        Self { map: Some(map), accented: true, ..Self::default() }
    }

    /// A recorded click; `own` where it is one of the tracks.
    ///
    /// # Errors
    /// [`MeasureError`] when it cannot be read or `progress` says stop.
    pub fn click(
        click: &dyn Source,
        rate: SampleRate,
        own: Option<usize>,
        progress: Progress,
    ) -> Result<Self, MeasureError> {
        let read = clicks(click, rate, progress)?;
        Ok(Self { map: read.map, accented: read.accented, own, ..Self::default() })
    }

    /// The tempo of one of the tracks, from its strokes.
    pub fn steady(strokes: Option<&[Stroke]>, rate: SampleRate, own: usize) -> Self {
        let found = strokes.and_then(|s| steady(s, rate.hz_f64()));
        let or_bpm = found.as_ref().map(|f| f.or_bpm.clone()).unwrap_or_default();
        Self { map: found.map(|f| f.map), or_bpm, own: Some(own), by_track: true, ..Self::default() }
    }

    /// The strokes of another track, stroke by stroke.
    pub fn strokes(strokes: Vec<Stroke>, own: Option<usize>) -> Self {
        Self { strokes: Some(strokes), own, ..Self::default() }
    }

    /// A track of these strokes against it, none where it could not be read; `n` is its place among the tracks.
    pub fn told(&self, n: usize, strokes: Option<&[Stroke]>, rate: SampleRate) -> Against {
        let Some(strokes) = strokes else { return nothing(0, "its recording cannot be read") };
        let told = match (&self.strokes, &self.map) {
            (Some(_), _) if self.own == Some(n) => return nothing(strokes.len(), "the others are held against it"),
            (Some(others), _) => beside(strokes, others),
            (None, Some(map)) => against(strokes, &map.beats(rate.hz_f64()), rate.hz_f64()),
            (None, None) => return nothing(strokes.len(), "there is no tempo to hold it against"),
        };
        // A tempo that a track gives is not known apart from that track, and nothing stands for or against itself.
        let most = if self.by_track || self.own == Some(n) { Verdict::Likely } else { Verdict::Solid };
        Against { verdict: told.verdict.min(most), ..told }
    }
}
