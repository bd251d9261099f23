//! A request to stop, visible from every thread.

use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};

/// Asked once, seen by all clones.
#[derive(Debug, Clone, Default)]
pub struct Stop(Arc<AtomicBool>);

impl Stop {
    /// Asks to stop.
    pub fn ask(&self) {
        self.0.store(true, Ordering::Relaxed);
    }

    /// Was it asked for?
    pub fn asked(&self) -> bool {
        self.0.load(Ordering::Relaxed)
    }
}
