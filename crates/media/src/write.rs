//! Writing WAV/BWF of 24 bits (TPDF dither) or 32-bit float with time stamp; RF64 above 4 GiB.
//!
//! The header always reserves room for `ds64` (as a `JUNK` chunk, EBU Tech 3306), so that a file that grows past 4 GiB
//! becomes RF64 in place.

use crate::riff::{BEXT_LEN, BEXT_TIME_REFERENCE, BEXT_VERSION, SIZE_IN_DS64, TAG_FLOAT, TAG_PCM};
use marea_core::units::SampleRate;
use std::fs::File;
use std::io::{self, BufWriter, Seek, SeekFrom, Write};
use std::path::Path;

/// Coding of a written file.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Depth {
    /// 24-bit integer; dithered where samples do not lie on the 24-bit grid already.
    Int24,
    /// 32-bit float, bit for bit what was rendered.
    Float32,
}

/// What the header of a written file says.
#[derive(Debug, Clone)]
pub struct WriteSpec {
    /// Rate.
    pub rate: SampleRate,
    /// Channels.
    pub channels: u16,
    /// Coding.
    pub depth: Depth,
    /// `bext` TimeReference: frames since midnight of the first frame (EBU Tech 3285).
    pub time_reference: u64,
    /// `bext` Description, cut at 256 bytes.
    pub description: String,
    /// Sizes from which the file becomes RF64; 2³² − 1 except in tests.
    pub rf64_from_bytes: u64,
    /// Seed of the dither, so that the same delivery gives the same bytes.
    pub dither_seed: u64,
}

impl WriteSpec {
    /// A description with the usual limits.
    pub fn new(rate: SampleRate, channels: u16, depth: Depth) -> Self {
        Self {
            rate,
            channels,
            depth,
            time_reference: 0,
            description: String::new(),
            rf64_from_bytes: u64::from(SIZE_IN_DS64),
            dither_seed: 1,
        }
    }
}

/// Bytes before the samples: RIFF 12, JUNK/ds64 8 + 28, bext 8 + 602, fmt 8 + 16, fact 8 + 4 (float only), data 8.
fn header_len(depth: Depth) -> u64 {
    12 + 36 + 8 + BEXT_LEN as u64 + 24 + if depth == Depth::Float32 { 12 } else { 0 } + 8
}

/// A file being written.
pub struct WavWriter {
    out: BufWriter<File>,
    spec: WriteSpec,
    data_bytes: u64,
    dither: Dither,
    /// Samples that went beyond full scale and were held there (24-bit only).
    pub clipped: u64,
}

impl WavWriter {
    /// Creates the file and leaves room for its header.
    ///
    /// # Errors
    /// As the machine says.
    pub fn create(path: &Path, spec: WriteSpec) -> io::Result<Self> {
        let mut out = BufWriter::with_capacity(1 << 18, File::create(path)?);
        out.write_all(&vec![0; usize::try_from(header_len(spec.depth)).unwrap_or(0)])?;
        let dither = Dither(spec.dither_seed | 1);
        Ok(Self { out, spec, data_bytes: 0, dither, clipped: 0 })
    }

    /// Appends interleaved frames.
    ///
    /// # Errors
    /// As the machine says; disk full among others.
    pub fn push(&mut self, interleaved: &[f32]) -> io::Result<()> {
        match self.spec.depth {
            Depth::Float32 => {
                for v in interleaved {
                    self.out.write_all(&v.to_le_bytes())?;
                }
                self.data_bytes += interleaved.len() as u64 * 4;
            }
            Depth::Int24 => {
                for v in interleaved {
                    let code = self.quantise(*v);
                    self.out.write_all(&code.to_le_bytes()[..3])?;
                }
                self.data_bytes += interleaved.len() as u64 * 3;
            }
        }
        Ok(())
    }

    /// A sample that lies on the grid passes untouched: dither is for what a fractional delay or a gain puts between the
    /// steps, and a moved 24-bit recording must stay bit-exact.
    fn quantise(&mut self, v: f32) -> i32 {
        let scaled = f64::from(v) * 8_388_608.0;
        let noise = self.dither.next();
        let code = if scaled.fract() == 0.0 { scaled } else { (scaled + noise).round() };
        if !(-8_388_608.0..=8_388_607.0).contains(&code) {
            self.clipped += 1;
        }
        code.clamp(-8_388_608.0, 8_388_607.0) as i32
    }

    /// Completes the header and flushes to the disk.
    ///
    /// # Errors
    /// As the machine says.
    pub fn finish(mut self) -> io::Result<u64> {
        if self.data_bytes % 2 == 1 {
            self.out.write_all(&[0])?;
        }
        self.out.flush()?;
        let header = header(&self.spec, self.data_bytes);
        let mut file = self.out.into_inner().map_err(|e| e.into_error())?;
        file.seek(SeekFrom::Start(0))?;
        file.write_all(&header)?;
        file.sync_all()?;
        Ok(self.clipped)
    }
}

/// The whole header for a number of data bytes.
fn header(spec: &WriteSpec, data_bytes: u64) -> Vec<u8> {
    let total = header_len(spec.depth) + data_bytes + data_bytes % 2;
    let wide = total - 8 >= spec.rf64_from_bytes;
    let (bytes, tag) = match spec.depth {
        Depth::Int24 => (3u16, TAG_PCM),
        Depth::Float32 => (4, TAG_FLOAT),
    };
    let frame = bytes * spec.channels;
    let frames = data_bytes / u64::from(frame);
    let short = |n: u64| if wide { SIZE_IN_DS64 } else { u32::try_from(n).unwrap_or(SIZE_IN_DS64) };
    let mut h = Vec::new();
    h.extend_from_slice(if wide { b"RF64" } else { b"RIFF" });
    h.extend_from_slice(&short(total - 8).to_le_bytes());
    h.extend_from_slice(b"WAVE");
    // EBU Tech 3306: ds64 = riffSize, dataSize, sampleCount, table length.
    h.extend_from_slice(if wide { b"ds64" } else { b"JUNK" });
    h.extend_from_slice(&28u32.to_le_bytes());
    let mut ds64 = Vec::new();
    for n in [total - 8, data_bytes, frames] {
        ds64.extend_from_slice(&n.to_le_bytes());
    }
    ds64.extend_from_slice(&0u32.to_le_bytes());
    h.extend_from_slice(&if wide { ds64 } else { vec![0; 28] });
    h.extend_from_slice(b"bext");
    h.extend_from_slice(&(BEXT_LEN as u32).to_le_bytes());
    let mut bext = vec![0u8; BEXT_LEN];
    let mut cut = spec.description.len().min(256);
    while !spec.description.is_char_boundary(cut) {
        cut -= 1;
    }
    bext[..cut].copy_from_slice(&spec.description.as_bytes()[..cut]);
    bext[256..261].copy_from_slice(b"Marea");
    bext[BEXT_TIME_REFERENCE..BEXT_TIME_REFERENCE + 8].copy_from_slice(&spec.time_reference.to_le_bytes());
    bext[BEXT_VERSION] = 1;
    h.extend_from_slice(&bext);
    h.extend_from_slice(b"fmt ");
    h.extend_from_slice(&16u32.to_le_bytes());
    h.extend_from_slice(&tag.to_le_bytes());
    h.extend_from_slice(&spec.channels.to_le_bytes());
    h.extend_from_slice(&spec.rate.hz().to_le_bytes());
    h.extend_from_slice(&(spec.rate.hz() * u32::from(frame)).to_le_bytes());
    h.extend_from_slice(&frame.to_le_bytes());
    h.extend_from_slice(&(bytes * 8).to_le_bytes());
    if spec.depth == Depth::Float32 {
        // Anything but integers carries `fact` with the number of frames.
        h.extend_from_slice(b"fact");
        h.extend_from_slice(&4u32.to_le_bytes());
        h.extend_from_slice(&short(frames).to_le_bytes());
    }
    h.extend_from_slice(b"data");
    h.extend_from_slice(&short(data_bytes).to_le_bytes());
    h
}

/// Triangular noise of ±1 step: the sum of two uniform ones (xorshift64*, so that deliveries can be repeated).
struct Dither(u64);

impl Dither {
    fn uniform(&mut self) -> f64 {
        self.0 ^= self.0 >> 12;
        self.0 ^= self.0 << 25;
        self.0 ^= self.0 >> 27;
        (self.0.wrapping_mul(0x2545_F491_4F6C_DD1D) >> 11) as f64 / (1u64 << 53) as f64
    }

    fn next(&mut self) -> f64 {
        self.uniform() + self.uniform() - 1.0
    }
}
