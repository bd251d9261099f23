//! Reading RIFF/WAVE (Multimedia Programming Interface 1.0), BWF (EBU Tech 3285), RF64 (EBU Tech 3306) and BW64
//! (ITU-R BS.2088). Own code: the crates at hand read either no RF64 or no `bext`.

use crate::info::{AudioInfo, MAX_CHANNELS, MediaError};
use crate::riff::{
    BEXT_TIME_REFERENCE, Coding, GUID_TAIL, SIZE_IN_DS64, TAG_EXTENSIBLE, TAG_FLOAT, TAG_PCM, u16_at, u32_at, u64_at,
};
use crate::stop::Stop;
use marea_core::units::SampleRate;
use std::fs::File;
use std::io::{BufReader, Read, Seek, SeekFrom};
use std::path::Path;

const BLOCK_FRAMES: usize = 16_384;
/// Chunks looked at: a recorder writes fewer than twenty, and what follows the samples is seldom needed.
const MAX_CHUNKS: usize = 4_096;
/// No header chunk that is kept in memory needs more; `bext` with history is cut there.
const MAX_HEADER_CHUNK: u64 = 4_096;

/// Samples of one data chunk.
pub struct WavReader {
    file: BufReader<File>,
    coding: Coding,
    channels: usize,
    bytes_left: u64,
    raw: Vec<u8>,
}

struct Format {
    coding: Coding,
    channels: u16,
    rate: SampleRate,
    mask: Option<u32>,
}

/// What the chunks of a file say, as far as they were looked at.
#[derive(Default)]
struct Chunks {
    format: Option<Format>,
    /// Where the samples begin, and how many bytes they are said to be.
    data: Option<(u64, u64)>,
    time_reference: Option<u64>,
    ds64_data: Option<u64>,
    notes: Vec<String>,
    /// Where the next chunk would begin.
    end: u64,
}

impl Chunks {
    /// Walks the chunks to the end: `bext` may come after the samples. `wide`: sizes may stand in ds64.
    fn read(file: &mut BufReader<File>, file_len: u64, wide: bool, stop: &Stop) -> Result<Self, MediaError> {
        let mut all = Self { end: 12, ..Self::default() };
        let (mut here, mut chunks) = (12u64, 0);
        while all.end + 8 <= file_len {
            if stop.asked() {
                return Err(MediaError::Stopped);
            }
            chunks += 1;
            if chunks > MAX_CHUNKS {
                if all.data.is_none() || all.format.is_none() {
                    return Err(MediaError::Malformed(format!(
                        "it has more than {MAX_CHUNKS} chunks and no sound among them"
                    )));
                }
                all.notes.push(format!("has more than {MAX_CHUNKS} chunks; what follows was not looked at"));
                break;
            }
            // Relative, so that what is in memory already is not read again.
            let by = i64::try_from(all.end - here).map_err(|_| MediaError::Malformed("a chunk is too long".into()))?;
            file.seek_relative(by)?;
            let mut h = [0u8; 8];
            file.read_exact(&mut h)?;
            here = all.end + 8;
            let mut size = u64::from(u32_at(&h, 4));
            if &h[..4] == b"data" {
                if wide && size == u64::from(SIZE_IN_DS64) {
                    size = all.ds64_data.ok_or_else(|| MediaError::Malformed("its ds64 chunk is missing".into()))?;
                }
                all.data.get_or_insert((all.end + 8, size));
            } else {
                let mut body = vec![0u8; usize::try_from(size.min(MAX_HEADER_CHUNK)).unwrap_or(0)];
                let got = read_up_to(file, &mut body)?;
                body.truncate(got);
                here += got as u64;
                all.take(&h[..4], &body)?;
            }
            let next = all.end.checked_add(8).and_then(|x| x.checked_add(size)).and_then(|x| x.checked_add(size & 1));
            let Some(next) = next else { break };
            all.end = next;
        }
        Ok(all)
    }

    /// One chunk beside the samples.
    fn take(&mut self, id: &[u8], body: &[u8]) -> Result<(), MediaError> {
        match id {
            b"fmt " if self.format.is_some() => {
                self.notes.push("has a second description of its format (fmt chunk), which was left aside".into());
            }
            b"fmt " => self.format = Some(parse_format(body)?),
            b"ds64" if body.len() >= 24 => self.ds64_data = Some(u64_at(body, 8)),
            b"bext" if body.len() >= BEXT_TIME_REFERENCE + 8 => {
                self.time_reference = Some(u64_at(body, BEXT_TIME_REFERENCE));
            }
            _ => {}
        }
        Ok(())
    }
}

impl WavReader {
    /// Walks the chunks up to the samples (and past them, when `bext` comes later).
    pub fn open(path: &Path, stop: &Stop) -> Result<(AudioInfo, Self), MediaError> {
        let mut file = BufReader::with_capacity(1 << 18, File::open(path)?);
        let file_len = file.get_ref().metadata()?.len();
        let mut head = [0u8; 12];
        file.read_exact(&mut head)?;
        let wide = &head[..4] != b"RIFF";
        let chunks = Chunks::read(&mut file, file_len, wide, stop)?;
        let (at, time_reference, mut notes) = (chunks.end, chunks.time_reference, chunks.notes);
        let format = chunks.format.ok_or_else(|| MediaError::Malformed("it has no fmt chunk".into()))?;
        let (start, claimed) = chunks.data.ok_or_else(|| MediaError::Malformed("it has no data chunk".into()))?;
        let frame_bytes = u64::from(format.coding.bytes()) * u64::from(format.channels);
        let there = file_len.saturating_sub(start);
        // A recorder that lost power leaves 0 or 0xFFFFFFFF as size: what follows is the sound.
        let unfinished = (claimed == 0 && at >= file_len && there >= frame_bytes)
            || (!wide && claimed >= u64::from(SIZE_IN_DS64) - 8 && claimed > there);
        let usable = if unfinished { there } else { claimed.min(there) };
        if unfinished {
            notes.push("the header was never completed; everything up to the end of the file was kept".into());
        } else if claimed % frame_bytes != 0 {
            notes.push("the last frame is incomplete and was left out".into());
        }
        file.seek(SeekFrom::Start(start))?;
        let frames = if unfinished { usable } else { claimed } / frame_bytes;
        let name = match &head[..4] {
            b"RIFF" => "WAV",
            b"RF64" => "RF64",
            _ => "BW64",
        };
        let info = AudioInfo {
            rate: format.rate,
            channels: format.channels,
            frames: Some(frames),
            coding: format!("{name}, {}", format.coding.name()),
            time_reference,
            channel_mask: format.mask,
            notes,
        };
        let reader = Self {
            file,
            coding: format.coding,
            channels: usize::from(format.channels),
            bytes_left: usable / frame_bytes * frame_bytes,
            raw: Vec::new(),
        };
        Ok((info, reader))
    }

    /// Appends the next frames to `out`.
    pub fn next_block(&mut self, out: &mut Vec<f32>) -> Result<(), MediaError> {
        let width = usize::from(self.coding.bytes());
        let frame = width * self.channels;
        let want = (BLOCK_FRAMES * frame).min(usize::try_from(self.bytes_left).unwrap_or(usize::MAX));
        self.raw.resize(want, 0);
        let got = read_up_to(&mut self.file, &mut self.raw)? / frame * frame;
        self.bytes_left = if got < want { 0 } else { self.bytes_left - got as u64 };
        let samples = self.raw[..got].chunks_exact(width);
        match self.coding {
            Coding::U8 => out.extend(samples.map(|b| (f32::from(b[0]) - 128.0) / 128.0)),
            Coding::Int(2) => out.extend(samples.map(|b| f32::from(i16::from_le_bytes([b[0], b[1]])) / 32_768.0)),
            Coding::Int(3) => out.extend(
                // Into the upper three bytes, so that the sign bit is in place.
                samples.map(|b| (i32::from_le_bytes([0, b[0], b[1], b[2]]) >> 8) as f32 / 8_388_608.0),
            ),
            Coding::Int(_) => out.extend(
                samples.map(|b| (f64::from(i32::from_le_bytes([b[0], b[1], b[2], b[3]])) / 2_147_483_648.0) as f32),
            ),
            Coding::Float(4) => out.extend(samples.map(|b| f32::from_le_bytes([b[0], b[1], b[2], b[3]]))),
            Coding::Float(_) => {
                out.extend(samples.map(|b| f64::from_le_bytes([b[0], b[1], b[2], b[3], b[4], b[5], b[6], b[7]]) as f32))
            }
        }
        Ok(())
    }
}

fn parse_format(b: &[u8]) -> Result<Format, MediaError> {
    if b.len() < 16 {
        return Err(MediaError::Malformed("its fmt chunk is too short".into()));
    }
    let mut mask = None;
    let (mut tag, channels, rate, block, bits) =
        (u16_at(b, 0), u16_at(b, 2), u32_at(b, 4), u16_at(b, 12), u16_at(b, 14));
    if tag == TAG_EXTENSIBLE && b.len() >= 40 && b[26..40] == GUID_TAIL {
        tag = u16_at(b, 24);
        mask = Some(u32_at(b, 20)).filter(|m| *m != 0);
    }
    if channels == 0 || channels > MAX_CHANNELS {
        return Err(MediaError::Channels(channels));
    }
    // The container decides the width: 20 bits lie in three bytes, at their upper end.
    let width = block / channels;
    let coding = match (tag, width) {
        (TAG_PCM, 1) => Coding::U8,
        (TAG_PCM, 2..=4) => Coding::Int(width),
        (TAG_FLOAT, 4 | 8) => Coding::Float(width),
        _ => return Err(MediaError::Coding(format!("WAV format {tag:#06x} with {bits} bits"))),
    };
    if width * channels != block {
        return Err(MediaError::Malformed(format!("{channels} channels do not fit into frames of {block} bytes")));
    }
    Ok(Format { coding, channels, rate: SampleRate::new(u64::from(rate))?, mask })
}

fn read_up_to(file: &mut impl Read, out: &mut [u8]) -> Result<usize, MediaError> {
    let mut have = 0;
    while have < out.len() {
        match file.read(&mut out[have..])? {
            0 => break,
            n => have += n,
        }
    }
    Ok(have)
}
