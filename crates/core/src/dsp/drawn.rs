//! Numbers that look drawn and are the same every time.

/// A number 0 … 1 for each index (the mixing function of Steele, Lea & Flood 2014, from memory).
pub fn drawn(index: u64) -> f64 {
    let mut z = index.wrapping_add(1).wrapping_mul(0x9e37_79b9_7f4a_7c15);
    z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
    z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
    ((z ^ (z >> 31)) >> 11) as f64 / (1u64 << 53) as f64
}
