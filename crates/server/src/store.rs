//! Files on disk: recordings by their SHA-256, working copies, deliveries. Everything is written beside its place and
//! moved there in one step, so that a half file is never taken for a whole one.

use crate::error::ServerError;
use marea_core::units::SampleRate;
use marea_media::prepare::{PrepareError, Prepared, channel_path, overview_path, prepare};
use marea_media::work::WorkFile;
use std::fs;
use std::path::{Path, PathBuf};
use uuid::Uuid;

/// The store's folder.
#[derive(Debug, Clone)]
pub struct Store {
    root: PathBuf,
    keep_free_bytes: u64,
}

impl Store {
    /// Opens or creates a store. Parts left behind by a killed process are removed once they are a day old (another
    /// server may share the store).
    ///
    /// # Errors
    /// As the machine says.
    pub fn open(root: &Path, keep_free_bytes: u64) -> std::io::Result<Self> {
        for folder in ["recordings", "work", "deliveries", "parts"] {
            fs::create_dir_all(root.join(folder))?;
        }
        let store = Self { root: root.canonicalize()?, keep_free_bytes };
        for entry in fs::read_dir(store.root.join("parts"))?.flatten() {
            let old = entry
                .metadata()
                .and_then(|m| m.modified())
                .is_ok_and(|t| t.elapsed().is_ok_and(|a| a.as_secs() > 86_400));
            if old {
                remove(&entry.path());
            }
        }
        Ok(store)
    }

    /// A new path for something unfinished.
    pub fn part(&self) -> PathBuf {
        self.root.join("parts").join(Uuid::now_v7().to_string())
    }

    /// Where a recording lies.
    pub fn recording(&self, sha256: &[u8]) -> PathBuf {
        let name = hex::encode(sha256);
        self.root.join("recordings").join(&name[..2]).join(name)
    }

    /// Where a recording's working copies at a rate lie.
    pub fn work(&self, sha256: &[u8], rate_hz: u32) -> PathBuf {
        self.root.join("work").join(format!("{}-{rate_hz}", hex::encode(sha256)))
    }

    /// Where a delivery lies.
    pub fn delivery(&self, job: Uuid) -> PathBuf {
        self.root.join("deliveries").join(job.to_string())
    }

    /// Is there room for more?
    ///
    /// # Errors
    /// [`ServerError::DiskFull`] when less than the reserve would stay free.
    pub fn check_room(&self, more: u64) -> Result<(), ServerError> {
        let free = fs2::available_space(&self.root)?;
        if free < self.keep_free_bytes.saturating_add(more) {
            return Err(ServerError::DiskFull(format!(
                "{} MB are free and {} MB must stay free",
                free >> 20,
                self.keep_free_bytes >> 20
            )));
        }
        Ok(())
    }

    /// Moves a finished part to its place; if the same is there already, the part is dropped.
    ///
    /// # Errors
    /// As the machine says.
    pub fn keep(&self, part: &Path, place: &Path) -> std::io::Result<()> {
        if place.exists() {
            remove(part);
            return Ok(());
        }
        if let Some(folder) = place.parent() {
            fs::create_dir_all(folder)?;
        }
        match fs::rename(part, place) {
            // Somebody else was faster with the same content.
            Err(_) if place.exists() => {
                remove(part);
                Ok(())
            }
            other => other,
        }
    }

    /// Working copies of a recording at a rate, made when they are not there.
    ///
    /// # Errors
    /// [`PrepareError`]; nothing is left behind.
    pub fn prepare(
        &self,
        sha256: &[u8],
        rate: SampleRate,
        progress: &mut dyn FnMut(f64) -> bool,
    ) -> Result<Prepared, PrepareError> {
        let part = self.part();
        fs::create_dir_all(&part)?;
        let made = prepare(&self.recording(sha256), &part, rate, progress);
        match made {
            Ok(prepared) => {
                self.keep(&part, &self.work(sha256, rate.hz()))?;
                Ok(prepared)
            }
            Err(e) => {
                remove(&part);
                Err(e)
            }
        }
    }

    /// A channel's working copy.
    ///
    /// # Errors
    /// As the machine says; `NotFound` when the recording was deleted from the store.
    pub fn open_channel(&self, sha256: &[u8], rate_hz: u32, channel: u16) -> std::io::Result<WorkFile> {
        WorkFile::open(&channel_path(&self.work(sha256, rate_hz), channel))
    }

    /// Path of a channel's overview.
    pub fn overview(&self, sha256: &[u8], rate_hz: u32, channel: u16) -> PathBuf {
        overview_path(&self.work(sha256, rate_hz), channel)
    }
}

/// Removes a file or folder; that it is gone already is fine.
pub fn remove(path: &Path) {
    let _ = if path.is_dir() { fs::remove_dir_all(path) } else { fs::remove_file(path) };
}
