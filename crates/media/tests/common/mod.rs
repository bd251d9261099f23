//! Files made byte by byte.
#![allow(dead_code)]

/// One RIFF chunk, padded to an even length.
pub fn chunk(id: &[u8; 4], body: &[u8]) -> Vec<u8> {
    let mut out = id.to_vec();
    out.extend_from_slice(&u32::try_from(body.len()).unwrap().to_le_bytes());
    out.extend_from_slice(body);
    if body.len() % 2 == 1 {
        out.push(0);
    }
    out
}

/// `fmt ` as in WAVEFORMATEX without extra bytes.
pub fn fmt(tag: u16, channels: u16, rate: u32, bits: u16) -> Vec<u8> {
    let block = channels.wrapping_mul(bits / 8);
    let mut b = Vec::new();
    b.extend_from_slice(&tag.to_le_bytes());
    b.extend_from_slice(&channels.to_le_bytes());
    b.extend_from_slice(&rate.to_le_bytes());
    b.extend_from_slice(&(rate.wrapping_mul(u32::from(block))).to_le_bytes());
    b.extend_from_slice(&block.to_le_bytes());
    b.extend_from_slice(&bits.to_le_bytes());
    b
}

/// A whole file of chunks.
pub fn riff(chunks: &[Vec<u8>]) -> Vec<u8> {
    let body: Vec<u8> = chunks.concat();
    let mut out = b"RIFF".to_vec();
    out.extend_from_slice(&u32::try_from(body.len() + 4).unwrap().to_le_bytes());
    out.extend_from_slice(b"WAVE");
    out.extend_from_slice(&body);
    out
}

/// A file of one format and one data chunk.
pub fn simple(tag: u16, channels: u16, rate: u32, bits: u16, data: &[u8]) -> Vec<u8> {
    riff(&[chunk(b"fmt ", &fmt(tag, channels, rate, bits)), chunk(b"data", data)])
}

/// Big-endian chunk of an IFF file.
pub fn iff(id: &[u8; 4], body: &[u8]) -> Vec<u8> {
    let mut out = id.to_vec();
    out.extend_from_slice(&u32::try_from(body.len()).unwrap().to_be_bytes());
    out.extend_from_slice(body);
    if body.len() % 2 == 1 {
        out.push(0);
    }
    out
}

/// AIFF (`compression` none) or AIFF-C with big-endian 80-bit rate 48 000.
pub fn aiff(channels: u16, frames: u32, bits: u16, compression: Option<&[u8; 4]>, data: &[u8]) -> Vec<u8> {
    let mut comm = Vec::new();
    comm.extend_from_slice(&channels.to_be_bytes());
    comm.extend_from_slice(&frames.to_be_bytes());
    comm.extend_from_slice(&bits.to_be_bytes());
    // 48000 as IEEE 754 extended: exponent 16383 + 15, mantissa 48000 << 48.
    comm.extend_from_slice(&[0x40, 0x0e, 0xbb, 0x80, 0, 0, 0, 0, 0, 0]);
    if let Some(c) = compression {
        comm.extend_from_slice(c);
        comm.extend_from_slice(&[0, 0]);
    }
    let mut ssnd = vec![0; 8];
    ssnd.extend_from_slice(data);
    let mut body = if compression.is_some() { b"AIFC".to_vec() } else { b"AIFF".to_vec() };
    if compression.is_some() {
        body.extend(iff(b"FVER", &[0xA2, 0x80, 0x51, 0x40]));
    }
    body.extend(iff(b"COMM", &comm));
    body.extend(iff(b"SSND", &ssnd));
    iff(b"FORM", &body)
}
