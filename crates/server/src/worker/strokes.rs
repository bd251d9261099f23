//! Strokes that were found, kept while the server runs: a set is moved by other settings without being listened to again.

use hashlink::LruCache;
use marea_core::hits::Played;
use std::sync::{Arc, Mutex, PoisonError};

/// Kept at most; those not asked for the longest go first. One takes some megabytes an hour.
const MOST: usize = 8;

/// What was heard of a set.
#[derive(Debug)]
pub struct Heard {
    /// The strokes of every source of the session.
    pub played: Vec<Played>,
    /// Frames of everything in the set that may be an attack.
    pub seen: Vec<i64>,
}

/// Keeps them in memory, under a text that tells of what.
pub struct Strokes(Mutex<LruCache<String, Arc<Heard>>>);

impl Default for Strokes {
    fn default() -> Self {
        Self(Mutex::new(LruCache::new(MOST)))
    }
}

impl Strokes {
    /// What is known under a text, or what `listen` hears.
    ///
    /// # Errors
    /// As `listen` says.
    pub fn of<E>(&self, what: String, listen: impl FnOnce() -> Result<Heard, E>) -> Result<Arc<Heard>, E> {
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
    fn a_set_is_listened_to_once_and_a_failure_is_not_kept() {
        let strokes = Strokes::default();
        let heard = |frame: i64| Heard { played: Vec::new(), seen: vec![frame] };
        let fails = strokes.of("a".into(), || Err::<Heard, &str>("torn"));
        assert_eq!(fails.unwrap_err(), "torn");
        assert_eq!(strokes.of("a".into(), || Ok::<_, ()>(heard(1))).unwrap().seen, [1]);
        assert_eq!(strokes.of("a".into(), || Ok::<_, ()>(heard(2))).unwrap().seen, [1], "known");
        assert_eq!(strokes.of("b".into(), || Ok::<_, ()>(heard(3))).unwrap().seen, [3]);
    }
}
