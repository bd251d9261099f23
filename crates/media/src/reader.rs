//! A recording read from its beginning, block by block, whatever its format.

use crate::info::{AudioInfo, MAX_CHANNELS, MediaError};
use crate::stop::Stop;
use crate::{compressed, wav};
use std::fs::File;
use std::io::Read;
use std::path::Path;

/// Samples beyond this are no sound: a float file may hold whole numbers of 32 bits, but nothing larger. Squares of what is
/// kept can be added up without an overflow.
pub const LARGEST_SAMPLE: f32 = 4.3e9;

enum Decoder {
    Wav(wav::WavReader),
    Compressed(Box<compressed::CompressedReader>),
}

/// A recording being read from the beginning.
pub struct AudioReader {
    info: AudioInfo,
    decoder: Decoder,
    frames_read: u64,
    not_numbers: u64,
    too_large: u64,
    stop: Stop,
}

impl AudioReader {
    /// Opens a file by its content; the name does not count.
    ///
    /// # Errors
    /// [`MediaError`] when it is no recording that is read here.
    pub fn open(path: &Path) -> Result<Self, MediaError> {
        Self::open_until(path, Stop::default())
    }

    /// The same, giving up with [`MediaError::Stopped`] as soon as `stop` asks for it, here and in every block.
    ///
    /// # Errors
    /// As [`AudioReader::open`].
    pub fn open_until(path: &Path, stop: Stop) -> Result<Self, MediaError> {
        let mut head = [0u8; 12];
        let mut file = File::open(path)?;
        let mut have = 0;
        while have < head.len() {
            match file.read(&mut head[have..])? {
                0 => break,
                n => have += n,
            }
        }
        if have == 0 {
            return Err(MediaError::Empty);
        }
        let (info, decoder) = match (&head[..4], &head[8..12]) {
            (b"RIFF" | b"RF64" | b"BW64", b"WAVE") => {
                let (info, reader) = wav::WavReader::open(path, &stop)?;
                (info, Decoder::Wav(reader))
            }
            (b"fLaC", _) | (b"FORM", b"AIFF" | b"AIFC") => {
                let (info, reader) = compressed::CompressedReader::open(path, &head[..4] == b"fLaC", &stop)?;
                (info, Decoder::Compressed(Box::new(reader)))
            }
            _ => return Err(MediaError::UnknownFormat(describe(&head[..have]))),
        };
        if info.channels == 0 || info.channels > MAX_CHANNELS {
            return Err(MediaError::Channels(info.channels));
        }
        Ok(Self { info, decoder, frames_read: 0, not_numbers: 0, too_large: 0, stop })
    }

    /// What the file says about itself.
    pub fn info(&self) -> &AudioInfo {
        &self.info
    }

    /// Replaces `out` by the next interleaved frames (some thousands); leaves it empty at the end. Samples that are
    /// not finite become silence and are counted.
    ///
    /// # Errors
    /// [`MediaError`] when the medium or the coding fails; what was read before stays good.
    pub fn next_block(&mut self, out: &mut Vec<f32>) -> Result<(), MediaError> {
        out.clear();
        if self.stop.asked() {
            return Err(MediaError::Stopped);
        }
        match &mut self.decoder {
            Decoder::Wav(r) => r.next_block(out)?,
            Decoder::Compressed(r) => r.next_block(out, &mut self.info.notes, &self.stop)?,
        }
        for v in out.iter_mut() {
            if !v.is_finite() || v.abs() > LARGEST_SAMPLE {
                self.not_numbers += u64::from(!v.is_finite());
                self.too_large += u64::from(v.is_finite());
                *v = 0.0;
            }
        }
        self.frames_read += out.len() as u64 / u64::from(self.info.channels);
        Ok(())
    }

    /// Ends the reading: what was noticed on the way, added to the notes.
    pub fn finish(mut self) -> (AudioInfo, u64) {
        if self.not_numbers > 0 {
            let n = self.not_numbers;
            self.info.notes.push(format!("{n} samples are no finite numbers and were read as silence"));
        }
        if self.too_large > 0 {
            let n = self.too_large;
            self.info
                .notes
                .push(format!("{n} samples are larger than any sound (beyond 4.3·10⁹) and were read as silence"));
        }
        if let Some(claimed) = self.info.frames
            && self.frames_read < claimed
        {
            let (have, rate) = (self.frames_read, self.info.rate.hz_f64());
            self.info.notes.push(format!(
                "ends early: {have} of {claimed} frames are there ({:.3} s of {:.3} s); they were kept",
                have as f64 / rate,
                claimed as f64 / rate
            ));
        }
        self.info.frames = Some(self.frames_read);
        (self.info, self.frames_read)
    }
}

fn describe(head: &[u8]) -> String {
    if head.iter().all(|b| (0x20..0x7f).contains(b) || b.is_ascii_whitespace()) {
        format!("the text {:?}", String::from_utf8_lossy(head))
    } else {
        format!("the bytes {}", head.iter().map(|b| format!("{b:02x}")).collect::<Vec<_>>().join(" "))
    }
}

/// Reads a whole small file into planar channels: for tests and tools.
///
/// # Errors
/// As [`AudioReader::open`] and [`AudioReader::next_block`].
pub fn read_all(path: &Path) -> Result<(AudioInfo, Vec<Vec<f32>>), MediaError> {
    let mut reader = AudioReader::open(path)?;
    let channels = usize::from(reader.info().channels);
    let mut planes = vec![Vec::new(); channels];
    let mut block = Vec::new();
    loop {
        reader.next_block(&mut block)?;
        if block.is_empty() {
            return Ok((reader.finish().0, planes));
        }
        for frame in block.chunks_exact(channels) {
            planes.iter_mut().zip(frame).for_each(|(p, v)| p.push(*v));
        }
    }
}
