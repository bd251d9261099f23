//! What the channels of a recording are meant for.

use serde::{Deserialize, Serialize};

/// Where a channel is to sound.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "snake_case")]
pub enum Place {
    /// Front left.
    Left,
    /// Front right.
    Right,
    /// Front centre.
    Centre,
    /// Low-frequency effects.
    Lfe,
    /// Left surround, at the side.
    LeftSurround,
    /// Right surround.
    RightSurround,
    /// Left at the back.
    LeftBack,
    /// Right at the back.
    RightBack,
    /// Above front left.
    TopFrontLeft,
    /// Above front right.
    TopFrontRight,
    /// Above back left.
    TopBackLeft,
    /// Above back right.
    TopBackRight,
}

use Place::{
    Centre, Left, LeftBack, LeftSurround, Lfe, Right, RightBack, RightSurround, TopBackLeft, TopBackRight,
    TopFrontLeft, TopFrontRight,
};

impl Place {
    /// The short word of the trade.
    pub fn short(self) -> &'static str {
        match self {
            Left => "L",
            Right => "R",
            Centre => "C",
            Lfe => "LFE",
            LeftSurround => "Ls",
            RightSurround => "Rs",
            LeftBack => "Lb",
            RightBack => "Rb",
            TopFrontLeft => "Ltf",
            TopFrontRight => "Rtf",
            TopBackLeft => "Ltb",
            TopBackRight => "Rtb",
        }
    }

    /// Levels of the channels in left and right of a fold-down to stereo (ITU-R BS.775: centre and surrounds at −3 dB, LFE left out).
    /// BS.775 knows no heights; they are treated as the surround below them (common practice, no source).
    pub fn to_stereo(self) -> [f64; 2] {
        const H: f64 = std::f64::consts::FRAC_1_SQRT_2;
        match self {
            Left => [1.0, 0.0],
            Right => [0.0, 1.0],
            Centre => [H, H],
            Lfe => [0.0, 0.0],
            LeftSurround | LeftBack | TopFrontLeft | TopBackLeft => [H, 0.0],
            RightSurround | RightBack | TopFrontRight | TopBackRight => [0.0, H],
        }
    }

    /// Levels of the channels in a fold-down to mono (ITU-R BS.775: 0.7071·L + 0.7071·R + C + 0.5·Ls + 0.5·Rs), which is the stereo
    /// fold-down summed at −3 dB.
    pub fn to_mono(self) -> f64 {
        self.to_stereo().iter().sum::<f64>() * std::f64::consts::FRAC_1_SQRT_2
    }

    /// Direction in degrees, 0 ahead, positive to the right (ITU-R BS.775 for 5.1, BS.2051 beyond).
    pub fn degrees(self) -> f64 {
        match self {
            Centre | Lfe => 0.0,
            Left => -30.0,
            Right => 30.0,
            LeftSurround => -110.0,
            RightSurround => 110.0,
            LeftBack => -135.0,
            RightBack => 135.0,
            TopFrontLeft => -45.0,
            TopFrontRight => 45.0,
            TopBackLeft => -135.0,
            TopBackRight => 135.0,
        }
    }
}

/// Order of the channels of a file that does not say.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default, Serialize, Deserialize)]
#[cfg_attr(feature = "openapi", derive(utoipa::ToSchema))]
#[serde(rename_all = "lowercase")]
pub enum Order {
    /// As in WAV masks: L R C LFE, back, side.
    #[default]
    Wav,
    /// As in SMPTE ST 2036-2 and film: L R C LFE Ls Rs, then back.
    Smpte,
}

/// Places of the channels of a WAV mask, in the order of its bits; none when the mask names others or another number of them.
/// Bits after the WAVE_FORMAT_EXTENSIBLE definition (from memory): 0 FL, 1 FR, 2 FC, 3 LFE, 4 BL, 5 BR, 9 SL, 10 SR, 12 TFL,
/// 14 TFR, 15 TBL, 17 TBR.
pub fn of_mask(mask: u32, channels: usize) -> Option<Vec<Place>> {
    let bits = [
        (0, Left),
        (1, Right),
        (2, Centre),
        (3, Lfe),
        (4, LeftBack),
        (5, RightBack),
        (9, LeftSurround),
        (10, RightSurround),
        (12, TopFrontLeft),
        (14, TopFrontRight),
        (15, TopBackLeft),
        (17, TopBackRight),
    ];
    let known: u32 = bits.iter().map(|(bit, _)| 1 << bit).sum();
    let mut places: Vec<Place> = bits.iter().filter(|(bit, _)| mask >> bit & 1 == 1).map(|b| b.1).collect();
    // A single pair behind is the surround pair, whichever bits it has.
    if !places.contains(&LeftSurround) {
        for p in &mut places {
            *p = match *p {
                LeftBack => LeftSurround,
                RightBack => RightSurround,
                other => other,
            };
        }
    }
    (mask & !known == 0 && places.len() == channels).then_some(places)
}

/// The usual layout for a number of channels; none where there is no usual one.
pub fn usual(channels: usize, order: Order) -> Option<Vec<Place>> {
    let five = [Left, Right, Centre, LeftSurround, RightSurround];
    let one = |rest: &[Place]| [&[Left, Right, Centre, Lfe][..], rest].concat();
    let behind = match order {
        Order::Wav => [LeftBack, RightBack, LeftSurround, RightSurround],
        Order::Smpte => [LeftSurround, RightSurround, LeftBack, RightBack],
    };
    let above = [TopFrontLeft, TopFrontRight, TopBackLeft, TopBackRight];
    match channels {
        2 => Some(vec![Left, Right]),
        3 => Some(vec![Left, Right, Centre]),
        4 => Some(vec![Left, Right, LeftSurround, RightSurround]),
        5 => Some(five.to_vec()),
        6 => Some(one(&[LeftSurround, RightSurround])),
        8 => Some(one(&behind)),
        10 => Some(one(&[&[LeftSurround, RightSurround][..], &above].concat())),
        12 => Some(one(&[&behind[..], &above].concat())),
        _ => None,
    }
}
