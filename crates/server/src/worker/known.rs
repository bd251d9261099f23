//! What was heard, kept while the server runs: a plan of timing is changed without listening to everything again.

use hashlink::LruCache;
use marea_core::hits::Played;
use marea_core::layer::Layered;
use std::sync::{Arc, Mutex, PoisonError};

/// Kept of each kind at most; those not asked for the longest go first. One takes some megabytes an hour.
const MOST: usize = 8;

/// The strokes of a set.
#[derive(Debug)]
pub struct Strokes {
    /// Of every source of the session.
    pub played: Vec<Played>,
    /// Frames of everything in the set that may be an attack.
    pub seen: Vec<i64>,
}

/// A layer against its source.
#[derive(Debug)]
pub struct Doubled {
    /// Hit by hit.
    pub found: Layered,
    /// Frames of everything in the layer that may be an attack.
    pub seen: Vec<i64>,
}

/// Two takes side by side.
#[derive(Debug)]
pub struct Beside {
    /// Chord by chord.
    pub found: marea_core::takes::Takes,
    /// Of either, frames of everything that may be an attack.
    pub seen: [Vec<i64>; 2],
}

/// All that is kept.
#[derive(Default)]
pub struct Known {
    /// Sets.
    pub sets: Kept<Strokes>,
    /// Layers.
    pub layers: Kept<Doubled>,
    /// Takes.
    pub takes: Kept<Beside>,
}

/// Results of one kind, each under a text that tells of what.
pub struct Kept<T>(Mutex<LruCache<String, Arc<T>>>);

impl<T> Default for Kept<T> {
    fn default() -> Self {
        Self(Mutex::new(LruCache::new(MOST)))
    }
}

impl<T> Kept<T> {
    /// What is known under a text, or what `listen` hears.
    ///
    /// # Errors
    /// As `listen` says.
    pub fn of<E>(&self, what: String, listen: impl FnOnce() -> Result<T, E>) -> Result<Arc<T>, E> {
        let kept = || self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if let Some(known) = kept().get(&what) {
            return Ok(known.clone());
        }
        let heard = Arc::new(listen()?);
        kept().insert(what, heard.clone());
        Ok(heard)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_known_is_heard_once_and_a_failure_is_not_kept() {
        let kept = Kept::<i64>::default();
        assert_eq!(kept.of("a".into(), || Err::<i64, &str>("torn")).unwrap_err(), "torn");
        assert_eq!(*kept.of("a".into(), || Ok::<_, ()>(1)).unwrap(), 1);
        assert_eq!(*kept.of("a".into(), || Ok::<_, ()>(2)).unwrap(), 1, "known");
        assert_eq!(*kept.of("b".into(), || Ok::<_, ()>(3)).unwrap(), 3);
    }
}
