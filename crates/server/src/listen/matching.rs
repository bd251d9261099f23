//! Loudness of a mix as corrected and as recorded, measured beside the playing so that nothing waits for it.

use super::command::{Command, Key};
use super::sound::Sound;
use crate::db::tracks::TrackRow;
use crate::derive::work::open;
use crate::store::Store;
use marea_core::edit::tempo::TempoMap;
use marea_core::measure::readings::loudness::{loudness, matched, stretches};
use marea_core::units::SampleRate;
use marea_media::work::WorkFile;
use std::sync::mpsc::Sender;

impl Key {
    /// Measures in a thread of its own and tells the player; what cannot be read matches nothing.
    pub fn measure(&self, store: &Store, rows: Vec<TrackRow>, rate: SampleRate, tell: Sender<Command>) {
        let (key, store) = (self.clone(), store.clone());
        std::thread::spawn(move || {
            // Nothing is told where nothing can be matched: the blocks go on without a match.
            if let Some(db) = key.levels(&store, rows, rate) {
                let _ = tell.send(Command::Matched { key, db });
            }
        });
    }

    fn levels(&self, store: &Store, rows: Vec<TrackRow>, rate: SampleRate) -> Option<[f64; 2]> {
        let files: Vec<(TrackRow, WorkFile)> =
            rows.into_iter().filter_map(|t| open(store, &t, rate.hz()).ok().map(|file| (t, file))).collect();
        let mut sound = Sound::new(&self.mix, &files, rate, &TempoMap::default());
        let parts = stretches(self.range.clone(), rate);
        let mut told = [None; 2];
        for (way, told) in told.iter_mut().enumerate() {
            *told = loudness(&parts, rate, |frame, l, r| {
                sound.read(frame as f64, l.len())?;
                let planes = sound.planes();
                l.copy_from_slice(planes[2 * way]);
                r.copy_from_slice(planes[2 * way + 1]);
                Ok(())
            })
            .ok()?;
        }
        matched(told)
    }
}
