//! A look at an AIFF file's own header before it is handed to a library (Apple Computer, AIFF 1.3, 1989: chunks are big-endian
//! and even in length; COMM begins with the number of channels).

use crate::info::{MAX_CHANNELS, MediaError};
use crate::stop::Stop;
use std::fs::File;
use std::io::{BufReader, Read, Seek, SeekFrom};
use std::path::Path;

/// Chunks looked at before a file is given up: a recorder writes fewer than twenty.
pub const MAX_CHUNKS: usize = 4_096;

/// Refuses what the library must not see: more channels than are read here (it reserves memory for all of them), and endless
/// rows of chunks.
///
/// # Errors
/// [`MediaError`].
pub fn look(path: &Path, stop: &Stop) -> Result<(), MediaError> {
    let mut file = BufReader::new(File::open(path)?);
    file.seek(SeekFrom::Start(12))?;
    for _ in 0..MAX_CHUNKS {
        if stop.asked() {
            return Err(MediaError::Stopped);
        }
        let mut head = [0u8; 8];
        match file.read_exact(&mut head) {
            Err(e) if e.kind() == std::io::ErrorKind::UnexpectedEof => {
                return Err(MediaError::Malformed("its COMM chunk is missing".into()));
            }
            other => other?,
        }
        let size = u32::from_be_bytes([head[4], head[5], head[6], head[7]]);
        if &head[..4] == b"COMM" {
            let mut channels = [0u8; 2];
            file.read_exact(&mut channels).map_err(|_| MediaError::Malformed("its COMM chunk breaks off".into()))?;
            let channels = u16::from_be_bytes(channels);
            return if (1..=MAX_CHANNELS).contains(&channels) { Ok(()) } else { Err(MediaError::Channels(channels)) };
        }
        file.seek_relative(i64::from(size) + i64::from(size & 1))?;
    }
    Err(MediaError::Malformed(format!("it has more than {MAX_CHUNKS} chunks before its COMM chunk")))
}
