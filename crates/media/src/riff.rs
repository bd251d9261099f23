//! Chunks of RIFF, RF64 and BW64 files: the parts that reading and writing share.

/// Coding of the samples in a data chunk.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Coding {
    /// Unsigned 8 bits, 128 is zero.
    U8,
    /// Signed little-endian integer of 2, 3 or 4 bytes.
    Int(u16),
    /// IEEE 754 little-endian of 4 or 8 bytes.
    Float(u16),
}

impl Coding {
    /// Bytes a sample.
    pub fn bytes(self) -> u16 {
        match self {
            Self::U8 => 1,
            Self::Int(n) | Self::Float(n) => n,
        }
    }

    /// For people.
    pub fn name(self) -> String {
        match self {
            Self::U8 => "8-bit".into(),
            Self::Int(n) => format!("{}-bit", n * 8),
            Self::Float(n) => format!("{}-bit float", n * 8),
        }
    }
}

/// `fmt ` tag of integer samples (WAVEFORMATEX; Multimedia Programming Interface 1.0).
pub const TAG_PCM: u16 = 1;
/// `fmt ` tag of IEEE float samples.
pub const TAG_FLOAT: u16 = 3;
/// `fmt ` tag that says the real one is in the sub-format (WAVE_FORMAT_EXTENSIBLE).
pub const TAG_EXTENSIBLE: u16 = 0xFFFE;
/// Last 14 bytes of the sub-format GUIDs whose first two bytes are a plain tag.
pub const GUID_TAIL: [u8; 14] = [0x00, 0x00, 0x00, 0x00, 0x10, 0x00, 0x80, 0x00, 0x00, 0xAA, 0x00, 0x38, 0x9B, 0x71];

/// Bytes of a version-1 `bext` chunk without coding history (EBU Tech 3285).
pub const BEXT_LEN: usize = 602;
/// Where TimeReference stands in it: after Description 256, Originator 32, OriginatorReference 32, date 10, time 8.
pub const BEXT_TIME_REFERENCE: usize = 338;
/// Where Version stands.
pub const BEXT_VERSION: usize = 346;
/// Size that says "look into ds64" (EBU Tech 3306).
pub const SIZE_IN_DS64: u32 = 0xFFFF_FFFF;

/// Little-endian 16 bits at a place.
pub fn u16_at(b: &[u8], at: usize) -> u16 {
    u16::from_le_bytes([b[at], b[at + 1]])
}

/// Little-endian 32 bits at a place.
pub fn u32_at(b: &[u8], at: usize) -> u32 {
    u32::from_le_bytes([b[at], b[at + 1], b[at + 2], b[at + 3]])
}

/// Little-endian 64 bits at a place.
pub fn u64_at(b: &[u8], at: usize) -> u64 {
    u64::from(u32_at(b, at)) | u64::from(u32_at(b, at + 4)) << 32
}
