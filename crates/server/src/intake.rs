//! Bytes that arrive: written and hashed in threads of their own, so that the line, the disk and the hash work at the same time.

use crate::hash::Sum;
use crate::store::remove;
use bytes::Bytes;
use std::fs::{File, OpenOptions};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::thread::JoinHandle;
use tokio::sync::mpsc::{Receiver, Sender, channel};

/// Pieces that may wait for a thread: enough to go on with while the disk brings home what it has.
const WAITING: usize = 256;
/// Bytes after which what was written is brought to the disk, so that the end has little left to do.
const SYNC_EVERY: u64 = 64 << 20;

/// A file that is removed unless it was kept: an upload cut off half way leaves nothing.
pub struct Part(pub PathBuf);

impl Drop for Part {
    fn drop(&mut self) {
        remove(&self.0);
    }
}

/// What arrived.
#[derive(Debug)]
pub struct Arrived {
    /// SHA-256 of the whole file.
    pub sha256: Vec<u8>,
    /// Bytes of the whole file.
    pub bytes: u64,
}

/// A file being received.
pub struct Intake {
    to_disk: Sender<Bytes>,
    to_hash: Sender<Bytes>,
    disk: JoinHandle<std::io::Result<u64>>,
    hash: JoinHandle<std::io::Result<Vec<u8>>>,
}

impl Intake {
    /// Begins a file, or goes on with one that holds some bytes already.
    ///
    /// # Errors
    /// As the machine says.
    pub fn begin(path: &Path) -> std::io::Result<Self> {
        let file = OpenOptions::new().create(true).append(true).open(path)?;
        let before = file.metadata()?.len();
        let (to_disk, from_line) = channel(WAITING);
        let (to_hash, to_be_hashed) = channel(WAITING);
        let known = path.to_path_buf();
        Ok(Self {
            to_disk,
            to_hash,
            disk: std::thread::spawn(move || write(file, before, from_line)),
            hash: std::thread::spawn(move || hash(&known, before, to_be_hashed)),
        })
    }

    /// Takes a piece; waits while the threads have enough to do. `false` when the disk refused something: [`Self::finish`]
    /// says what.
    pub async fn push(&self, piece: Bytes) -> bool {
        // To both at once: neither waits for the other.
        self.to_hash.send(piece.clone()).await.is_ok() && self.to_disk.send(piece).await.is_ok()
    }

    /// Waits until everything is on the disk.
    ///
    /// # Errors
    /// As the machine says, disk full among others.
    pub async fn finish(self) -> std::io::Result<Arrived> {
        let Self { to_disk, to_hash, disk, hash } = self;
        drop((to_disk, to_hash));
        let broke = |_| std::io::Error::other("the receiving thread broke off");
        tokio::task::spawn_blocking(move || {
            let bytes = disk.join().map_err(broke)??;
            Ok(Arrived { bytes, sha256: hash.join().map_err(broke)?? })
        })
        .await
        .map_err(|_| std::io::Error::other("the receiving thread broke off"))?
    }
}

fn write(mut file: File, before: u64, mut pieces: Receiver<Bytes>) -> std::io::Result<u64> {
    let (mut bytes, mut synced) = (before, before);
    while let Some(piece) = pieces.blocking_recv() {
        file.write_all(&piece)?;
        bytes += piece.len() as u64;
        if bytes - synced >= SYNC_EVERY {
            file.sync_data()?;
            synced = bytes;
        }
    }
    file.sync_all()?;
    Ok(bytes)
}

fn hash(path: &Path, before: u64, mut pieces: Receiver<Bytes>) -> std::io::Result<Vec<u8>> {
    let mut sum = Sum::default();
    sum.read(File::open(path)?.take(before))?;
    while let Some(piece) = pieces.blocking_recv() {
        sum.update(&piece);
    }
    Ok(sum.finish())
}
