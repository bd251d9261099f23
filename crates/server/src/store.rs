//! Files on disk: recordings by their SHA-256, working copies, deliveries, and what is still on its way. Everything is written
//! beside its place and moved there in one step, so that a half file is never taken for a whole one. Nobody but the owner of
//! the process may look into it.

use crate::error::ServerError;
use fs2::FileExt;
use marea_core::units::SampleRate;
use marea_media::Stop;
use marea_media::prepare::{PrepareError, Prepared, channel_path, overview_path, prepare};
use marea_media::work::{WorkFile, overview_bytes};
use std::fs::{self, File, Permissions};
use std::os::unix::fs::PermissionsExt;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex};
use uuid::Uuid;

/// The store's folder.
#[derive(Debug, Clone)]
pub struct Store {
    root: PathBuf,
    keep_free_bytes: u64,
    parts: Arc<Parts>,
    /// One working copy is made anew at a time: several listeners may miss the same one.
    making: Arc<Mutex<()>>,
}

/// Where this process keeps what is unfinished. A lock held on a file beside it says that the process lives.
#[derive(Debug)]
struct Parts {
    folder: PathBuf,
    lock: PathBuf,
    _held: File,
}

impl Drop for Parts {
    fn drop(&mut self) {
        remove(&self.folder);
        remove(&self.lock);
    }
}

impl Parts {
    fn open(parts: &Path) -> std::io::Result<Self> {
        forget_the_dead(parts)?;
        let id = Uuid::now_v7().to_string();
        let lock = parts.join(format!("{id}.lock"));
        let held = File::create(&lock)?;
        held.lock_exclusive()?;
        let folder = parts.join(id);
        fs::create_dir(&folder)?;
        Ok(Self { folder, lock, _held: held })
    }
}

/// Removes what killed processes left. Others that share the store hold their locks and keep theirs.
fn forget_the_dead(parts: &Path) -> std::io::Result<()> {
    for entry in fs::read_dir(parts)?.flatten() {
        let path = entry.path();
        if path.extension().is_some_and(|e| e == "lock") {
            continue;
        }
        let lock = path.with_extension("lock");
        let dead = match File::open(&lock) {
            Ok(file) => FileExt::try_lock_exclusive(&file).is_ok(),
            // Made before its lock could be; or by a version that had none: as old as an hour, nobody writes to it.
            Err(_) => entry
                .metadata()
                .and_then(|m| m.modified())
                .is_ok_and(|t| t.elapsed().is_ok_and(|age| age.as_secs() > 3_600)),
        };
        if dead {
            remove(&path);
            remove(&lock);
        }
    }
    Ok(())
}

/// Makes a folder that only its owner may enter, also where it was open before.
fn private(folder: &Path) -> std::io::Result<()> {
    fs::create_dir_all(folder)?;
    let open = fs::metadata(folder)?.permissions().mode() & 0o077 != 0;
    if open {
        fs::set_permissions(folder, Permissions::from_mode(0o700))?;
        for entry in fs::read_dir(folder)?.flatten() {
            let path = entry.path();
            if path.is_dir() {
                private(&path)?;
            } else {
                fs::set_permissions(&path, Permissions::from_mode(0o600))?;
            }
        }
    }
    Ok(())
}

/// Why a channel's working copy is not to be had. Reads on from the name of the track.
#[derive(Debug, thiserror::Error)]
pub enum Missing {
    /// No recording either.
    #[error("its recording is not in the store: bring the file in again")]
    Recording,
    /// The recording is shorter than it was.
    #[error("its recording is damaged in the store ({0}): bring the file in again")]
    Damaged(String),
    /// The machine.
    #[error("{0}")]
    Io(#[from] std::io::Error),
    /// It was asked to stop.
    #[error("stopped on request")]
    Stopped,
}

impl Store {
    /// Opens or creates a store. Parts left behind by killed processes are removed.
    ///
    /// # Errors
    /// As the machine says.
    pub fn open(root: &Path, keep_free_bytes: u64) -> std::io::Result<Self> {
        private(root)?;
        for folder in ["recordings", "work", "deliveries", "parts", "uploads"] {
            private(&root.join(folder))?;
        }
        let root = root.canonicalize()?;
        let parts = Arc::new(Parts::open(&root.join("parts"))?);
        Ok(Self { root, keep_free_bytes, parts, making: Arc::default() })
    }

    /// A new path for something unfinished.
    pub fn part(&self) -> PathBuf {
        self.parts.folder.join(Uuid::now_v7().to_string())
    }

    /// Where a recording lies.
    pub fn recording(&self, sha256: &[u8]) -> PathBuf {
        let name = hex::encode(sha256);
        self.root.join("recordings").join(&name[..2]).join(name)
    }

    /// Where a file lies that is still on its way.
    pub fn upload(&self, id: Uuid) -> PathBuf {
        self.root.join("uploads").join(id.to_string())
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
            private(folder)?;
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

    /// Moves a finished folder to its place and removes what lies there already. That was made by work that was killed before its end
    /// was written down, and may be of another state of the session.
    ///
    /// # Errors
    /// As the machine says.
    pub fn replace(&self, part: &Path, place: &Path) -> std::io::Result<()> {
        if let Some(folder) = place.parent() {
            private(folder)?;
        }
        if place.exists() {
            let old = self.part();
            fs::rename(place, &old)?;
            remove(&old);
        }
        fs::rename(part, place)
    }

    /// Moves a recording whose bytes were just hashed to its place. What lies there under the same hash is replaced: it holds
    /// the same bytes, or was damaged. Gives whether it was there in its full length already.
    ///
    /// # Errors
    /// As the machine says.
    pub fn keep_recording(&self, part: &Path, sha256: &[u8]) -> std::io::Result<bool> {
        let place = self.recording(sha256);
        let bytes = fs::metadata(part)?.len();
        let known = fs::metadata(&place).is_ok_and(|m| m.len() == bytes);
        if let Some(folder) = place.parent() {
            private(folder)?;
        }
        fs::rename(part, &place)?;
        Ok(known)
    }

    /// Working copies of a recording at a rate, made when they are not there; what lies there already is replaced.
    ///
    /// # Errors
    /// [`PrepareError`]; nothing is left behind.
    pub fn prepare(
        &self,
        sha256: &[u8],
        rate: SampleRate,
        stop: &Stop,
        progress: &mut dyn FnMut(f64) -> bool,
    ) -> Result<Prepared, PrepareError> {
        let part = self.part();
        fs::create_dir_all(&part)?;
        let made = prepare(&self.recording(sha256), &part, rate, stop, progress);
        match made {
            Ok(prepared) => {
                let place = self.work(sha256, rate.hz());
                if !self.is_whole(&place, prepared.info.channels, prepared.frames) {
                    remove(&place);
                }
                self.keep(&part, &place)?;
                Ok(prepared)
            }
            Err(e) => {
                remove(&part);
                Err(e)
            }
        }
    }

    /// Are all working copies and overviews in a folder, in their full length?
    pub fn is_whole(&self, work: &Path, channels: u16, frames: i64) -> bool {
        let long = |path: PathBuf, bytes: u64| fs::metadata(path).is_ok_and(|m| m.len() == bytes);
        (1..=channels).all(|c| {
            long(channel_path(work, c), frames.unsigned_abs() * 4)
                && long(overview_path(work, c), overview_bytes(frames))
        })
    }

    /// Sees to it that the working copies of a recording are there in their full length: made anew where they are not.
    ///
    /// # Errors
    /// [`Missing`].
    pub fn ensure(
        &self,
        sha256: &[u8],
        rate_hz: u32,
        (channels, frames): (u16, i64),
        stop: &Stop,
    ) -> Result<(), Missing> {
        let work = self.work(sha256, rate_hz);
        if self.is_whole(&work, channels, frames) {
            return Ok(());
        }
        let _one = self.making.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
        if self.is_whole(&work, channels, frames) {
            return Ok(());
        }
        if !self.recording(sha256).exists() {
            return Err(Missing::Recording);
        }
        tracing::warn!(recording = hex::encode(sha256), "working copies are missing or too short; they are made anew");
        let rate = SampleRate::new(u64::from(rate_hz)).map_err(|e| Missing::Damaged(e.to_string()))?;
        match self.prepare(sha256, rate, stop, &mut |_| !stop.asked()) {
            Ok(made) if made.frames == frames && made.info.channels == channels => Ok(()),
            Ok(made) => {
                remove(&work);
                Err(Missing::Damaged(format!("{} of {frames} frames are there", made.frames)))
            }
            Err(PrepareError::Stopped) => Err(Missing::Stopped),
            Err(PrepareError::Media(e)) => Err(Missing::Damaged(format!("it {e}"))),
        }
    }

    /// A channel's working copy as it is: its length is not looked at.
    ///
    /// # Errors
    /// As the machine says.
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
