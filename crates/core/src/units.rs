//! Units of the job and the conversions between them.

use serde::{Deserialize, Serialize};
use thiserror::Error;

/// Why a quantity was refused.
#[derive(Debug, Clone, PartialEq, Error)]
pub enum UnitError {
    /// A sample rate outside what recordings have.
    #[error("a sample rate of {0} Hz is outside {min} to {max} Hz", min = SampleRate::MIN_HZ, max = SampleRate::MAX_HZ)]
    Rate(u64),
    /// A temperature at which the formula for the speed of sound has no meaning.
    #[error("a temperature of {0} °C is outside -50 to 60 °C")]
    Temperature(f64),
    /// A tempo or note value that is not positive and finite.
    #[error("a tempo of {0} beats a minute is not a tempo")]
    Tempo(f64),
}

/// A kind of frame number: which time line it counts on is part of its type.
macro_rules! frames {
    ($(#[$doc:meta])* $name:ident) => {
        $(#[$doc])*
        #[derive(Debug, Clone, Copy, PartialEq, Eq, PartialOrd, Ord, Hash, Default, Serialize, Deserialize)]
        #[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
        #[cfg_attr(feature = "openapi", schema(value_type = i64))]
        #[serde(transparent)]
        pub struct $name(pub i64);

        impl $name {
            /// Later by so many frames; stays at the end of what can be counted.
            pub fn plus(self, frames: i64) -> Self {
                Self(self.0.saturating_add(frames))
            }

            /// Frames from another one to this.
            pub fn since(self, other: Self) -> i64 {
                self.0.saturating_sub(other.0)
            }

            /// As a place between frames.
            pub fn place(self) -> f64 {
                self.0 as f64
            }
        }

        impl std::fmt::Display for $name {
            fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
                self.0.fmt(f)
            }
        }

        impl From<i64> for $name {
            fn from(frame: i64) -> Self {
                Self(frame)
            }
        }
    };
}

frames! {
    /// A frame of the session's time line.
    SessionFrame
}

frames! {
    /// A frame of one recording, counted from its own beginning at the session's rate.
    RecordingFrame
}

/// By how much something is moved, in frames at the session's rate, fractional; positive plays later.
#[derive(Debug, Clone, Copy, PartialEq, PartialOrd, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[cfg_attr(feature = "openapi", schema(value_type = f64))]
#[serde(transparent)]
pub struct Offset(pub f64);

impl std::ops::Add for Offset {
    type Output = Self;
    fn add(self, other: Self) -> Self {
        Self(self.0 + other.0)
    }
}

impl std::ops::Neg for Offset {
    type Output = Self;
    fn neg(self) -> Self {
        Self(-self.0)
    }
}

impl std::fmt::Display for Offset {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        self.0.fmt(f)
    }
}

impl std::ops::Sub for Offset {
    type Output = Self;
    fn sub(self, other: Self) -> Self {
        Self(self.0 - other.0)
    }
}

impl Offset {
    /// Leaves a track where it is.
    pub fn is_zero(&self) -> bool {
        self.0 == 0.0
    }

    /// As proposed and typed: to a hundredth of a frame.
    pub fn rounded(self) -> Self {
        Self((self.0 * 100.0).round() / 100.0)
    }
}

/// A sample rate in Hz, between 8 and 384 kHz.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
#[serde(try_from = "u64", into = "u64")]
pub struct SampleRate(u32);

impl SampleRate {
    /// Lowest rate read, in Hz.
    pub const MIN_HZ: u32 = 8_000;
    /// Highest rate read, in Hz.
    pub const MAX_HZ: u32 = 384_000;

    /// A checked rate.
    ///
    /// # Errors
    /// [`UnitError::Rate`] outside 8 000 … 384 000 Hz.
    pub fn new(hz: u64) -> Result<Self, UnitError> {
        match u32::try_from(hz) {
            Ok(v) if (Self::MIN_HZ..=Self::MAX_HZ).contains(&v) => Ok(Self(v)),
            _ => Err(UnitError::Rate(hz)),
        }
    }

    /// The rate in Hz.
    pub fn hz(self) -> u32 {
        self.0
    }

    /// The rate in Hz as a float.
    pub fn hz_f64(self) -> f64 {
        f64::from(self.0)
    }

    /// Whole frames nearest to a duration in seconds.
    pub fn frames(self, seconds: f64) -> i64 {
        (seconds * self.hz_f64()).round() as i64
    }

    /// A number of frames in milliseconds.
    pub fn ms(self, frames: f64) -> f64 {
        frames * 1_000.0 / self.hz_f64()
    }
}

impl TryFrom<u64> for SampleRate {
    type Error = UnitError;
    fn try_from(hz: u64) -> Result<Self, UnitError> {
        Self::new(hz)
    }
}

impl From<SampleRate> for u64 {
    fn from(rate: SampleRate) -> u64 {
        u64::from(rate.0)
    }
}

/// The air a session was recorded in, by its temperature; 20 °C unless somebody says otherwise.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[serde(try_from = "f64", into = "f64")]
pub struct Air {
    celsius: f64,
}

impl Default for Air {
    fn default() -> Self {
        Self { celsius: 20.0 }
    }
}

impl Air {
    /// Air at a temperature in °C.
    ///
    /// # Errors
    /// [`UnitError::Temperature`] outside −50 … 60 °C.
    ///
    /// ```
    /// use marea_core::units::Air;
    /// assert_eq!(Air::new(20.0).unwrap().speed_m_s(), 343.2);
    /// assert!(Air::new(99.0).is_err());
    /// ```
    pub fn new(celsius: f64) -> Result<Self, UnitError> {
        if (-50.0..=60.0).contains(&celsius) { Ok(Self { celsius }) } else { Err(UnitError::Temperature(celsius)) }
    }

    /// Its temperature in °C.
    pub fn celsius(self) -> f64 {
        self.celsius
    }

    /// Speed of sound in m/s (ISO 9613-1: 343.2·√(T/293.15)).
    pub fn speed_m_s(self) -> f64 {
        343.2 * ((self.celsius + 273.15) / 293.15).sqrt()
    }
}

impl TryFrom<f64> for Air {
    type Error = UnitError;
    fn try_from(celsius: f64) -> Result<Self, UnitError> {
        Self::new(celsius)
    }
}

impl From<Air> for f64 {
    fn from(air: Air) -> f64 {
        air.celsius
    }
}

/// Under which something is measured.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Conditions {
    /// The session's rate.
    pub rate: SampleRate,
    /// Its air.
    pub air: Air,
}

impl From<SampleRate> for Conditions {
    /// In air of 20 °C.
    fn from(rate: SampleRate) -> Self {
        Self { rate, air: Air::default() }
    }
}

impl Conditions {
    /// Metres that sound goes in a number of frames.
    pub fn metres(self, frames: f64) -> f64 {
        frames / self.rate.hz_f64() * self.air.speed_m_s()
    }
}

/// Decibels of an amplitude ratio; 0 gives −∞.
pub fn db_of_amplitude(ratio: f64) -> f64 {
    20.0 * ratio.log10()
}

/// Decibels of a power ratio; 0 gives −∞.
pub fn db_of_power(ratio: f64) -> f64 {
    10.0 * ratio.log10()
}

/// Amplitude ratio of a level in dB.
pub fn amplitude_of_db(db: f64) -> f64 {
    10f64.powf(db / 20.0)
}

/// One lag in every unit an engineer reads.
#[derive(Debug, Clone, Copy, PartialEq, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
pub struct LagUnits {
    /// Frames at the session's rate, fractional.
    pub samples: f64,
    /// Milliseconds.
    pub ms: f64,
    /// Microseconds.
    pub us: f64,
    /// Path difference in metres at the session's temperature.
    pub metres: f64,
    /// Fraction of a quarter note at the session's tempo.
    pub quarters: f64,
}

impl LagUnits {
    /// A lag in frames in every unit, for a tempo in quarters a minute.
    pub fn of(samples: f64, Conditions { rate, air }: Conditions, bpm: f64) -> Self {
        let seconds = samples / rate.hz_f64();
        Self {
            samples,
            ms: seconds * 1e3,
            us: seconds * 1e6,
            metres: seconds * air.speed_m_s(),
            quarters: seconds * bpm / 60.0,
        }
    }
}

/// Level in dBFS after AES17: RMS relative to that of a full-scale sine.
pub fn dbfs(rms: f64) -> f64 {
    20.0 * (rms * std::f64::consts::SQRT_2).log10()
}
