//! Time, memory and decoding.

use marea_media::AudioReader;
use std::path::Path;
use std::time::Instant;

/// What a part of the bench comes to.
pub type Done = Result<(), Box<dyn std::error::Error>>;

/// Seconds that work takes, and what it makes.
pub fn seconds<T>(work: impl FnOnce() -> T) -> (f64, T) {
    let began = Instant::now();
    let done = work();
    (began.elapsed().as_secs_f64(), done)
}

/// Peak resident memory of this process in MB (Linux).
pub fn peak_mb() -> f64 {
    let status = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = status.lines().find(|l| l.starts_with("VmHWM:")).unwrap_or("");
    line.split_whitespace().nth(1).and_then(|k| k.parse::<f64>().ok()).unwrap_or(0.0) / 1024.0
}

/// Reads a file to its end; its frames.
pub fn decode(path: &Path) -> Result<u64, marea_media::MediaError> {
    let mut reader = AudioReader::open(path)?;
    let mut block = Vec::new();
    loop {
        reader.next_block(&mut block)?;
        if block.is_empty() {
            return Ok(reader.finish().1);
        }
    }
}
