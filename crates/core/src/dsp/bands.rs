//! Bands and windows that several measurements share.

/// Nominal centres of the third-octaves a transfer is given for, in Hz (ISO 266).
pub const BANDS_HZ: [f64; 24] = [
    50.0, 63.0, 80.0, 100.0, 125.0, 160.0, 200.0, 250.0, 315.0, 400.0, 500.0, 630.0, 800.0, 1_000.0, 1_250.0, 1_600.0,
    2_000.0, 2_500.0, 3_150.0, 4_000.0, 5_000.0, 6_300.0, 8_000.0, 10_000.0,
];

/// Length of the windows that correlation is told for, in seconds (common practice: 0.3 to 0.6 s).
pub const WINDOW_S: f64 = 0.4;

/// The lows end here, in Hz (common practice; two octaves above the lowest tone of most basses).
pub const LOWS_HZ: f64 = 200.0;
/// The lows matter when at least this part of the energy lies there.
pub const LOWS_MATTER: f64 = 0.1;

/// Nominal centres of the third-octaves from 25 Hz to 16 kHz (ISO 266 preferred frequencies).
pub const THIRDS_HZ: [f64; 29] = [
    25.0, 31.5, 40.0, 50.0, 63.0, 80.0, 100.0, 125.0, 160.0, 200.0, 250.0, 315.0, 400.0, 500.0, 630.0, 800.0, 1_000.0,
    1_250.0, 1_600.0, 2_000.0, 2_500.0, 3_150.0, 4_000.0, 5_000.0, 6_300.0, 8_000.0, 10_000.0, 12_500.0, 16_000.0,
];
