//! What was measured of sources in microphones, kept while the server runs: a check after a change measures what changed.

use hashlink::LruCache;
use marea_core::measure::table::memory::{Known, Memory};
use std::sync::{Mutex, PoisonError};

/// Kept at most; those not asked for the longest go first. One takes about ten kilobytes.
const MOST: usize = 4_000;

/// Keeps them in memory.
pub struct Cells(Mutex<LruCache<Vec<u8>, Known>>);

impl Default for Cells {
    fn default() -> Self {
        Self(Mutex::new(LruCache::new(MOST)))
    }
}

impl Memory for Cells {
    fn find(&self, made_of: &[u8]) -> Option<Known> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).get(made_of).cloned()
    }

    fn keep(&self, made_of: Vec<u8>, known: &Known) {
        self.0.lock().unwrap_or_else(PoisonError::into_inner).insert(made_of, known.clone());
    }
}
