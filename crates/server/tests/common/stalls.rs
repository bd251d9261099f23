//! What the machine itself kept from its tests.

use std::time::{Duration, Instant};

/// Times at which this machine gave nobody any time: a thread that only sleeps wakes up late. And how much of the time somebody
/// waited for a processor, as the kernel counts it (pressure stall information of Linux).
pub struct Stalls {
    kept: std::sync::Arc<std::sync::Mutex<(usize, f64)>>,
    began: Instant,
    waited_us: Option<u64>,
}

/// Microseconds in which somebody waited for a processor, since the machine was started.
fn waited_us() -> Option<u64> {
    let text = std::fs::read_to_string("/proc/pressure/cpu").ok()?;
    text.lines().find(|l| l.starts_with("some"))?.rsplit_once("total=")?.1.trim().parse().ok()
}

impl Stalls {
    pub fn watch() -> Self {
        let kept = std::sync::Arc::new(std::sync::Mutex::new((0, 0.0)));
        let weak = std::sync::Arc::downgrade(&kept);
        std::thread::spawn(move || {
            while let Some(kept) = weak.upgrade() {
                let began = Instant::now();
                std::thread::sleep(Duration::from_millis(10));
                let late = began.elapsed().as_secs_f64() - 0.01;
                if late > 0.1 {
                    let mut sum = kept.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
                    *sum = (sum.0 + 1, sum.1 + late);
                }
            }
        });
        Self { kept, began: Instant::now(), waited_us: waited_us() }
    }

    pub fn told(&self) -> String {
        let (times, seconds) = self.sum();
        let busy = self.pressure() * 100.0;
        format!(
            "the machine itself stood still {times} times, {seconds:.1} s in all; somebody waited for a processor {busy:.0} % of the time"
        )
    }

    /// How often, and seconds in all.
    pub fn sum(&self) -> (usize, f64) {
        *self.kept.lock().unwrap_or_else(std::sync::PoisonError::into_inner)
    }

    /// Part of the time, 0 … 1, in which somebody waited for a processor; 0 where the kernel does not count it.
    pub fn pressure(&self) -> f64 {
        match (self.waited_us, waited_us()) {
            (Some(then), Some(now)) => (now - then) as f64 / 1e6 / self.began.elapsed().as_secs_f64(),
            _ => 0.0,
        }
    }
}
