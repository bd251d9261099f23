//! Three hours of one recorder placed in three hours of another.

use super::timed::{Done, decode, peak_mb, seconds};
use marea_core::signal::Source;
use marea_core::sync::{Features, place};
use marea_core::units::SampleRate;
use marea_media::Stop;
use marea_media::prepare::{channel_path, prepare};
use marea_media::work::WorkFile;
use marea_media::write::{Depth, WavWriter, WriteSpec};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::path::Path;

const RATE: usize = 48_000;
const LENGTH_S: usize = 3 * 3_600;
/// The second begins so many seconds after the first.
const LATER_S: usize = 1_234;

/// Makes both, decodes them, and places one by a process of its own.
pub fn hours(folder: &Path) -> Done {
    let rate = SampleRate::new(RATE as u64)?;
    let files = ["long-a", "long-b"].map(|n| folder.join(format!("{n}.wav")));
    record(&files)?;
    for (n, file) in files.iter().enumerate() {
        let place = folder.join(format!("long{n}"));
        std::fs::create_dir_all(&place)?;
        prepare(file, &place, rate, &Stop::default(), &mut |_| true)?;
    }
    files.iter().try_for_each(|f| decode(f).map(drop))?;
    let (decoding, _) = seconds(|| files.iter().map(|f| decode(f)).collect::<Result<Vec<_>, _>>());
    let told = std::process::Command::new(std::env::current_exe()?).arg(folder).arg("placed").output()?;
    let told = String::from_utf8_lossy(&told.stdout).into_owned();
    let [took, peak, off] = told.split_whitespace().map(str::parse::<f64>).collect::<Result<Vec<_>, _>>()?[..] else {
        return Err(format!("placed: {told}").into());
    };
    println!(
        "| a recorder of 3 h placed in 3 h of another, features included | {:.2} × decoding both; {took:.1} s; peak {peak:.0} MB; {off:.1} samples off | ≤ 3 ×, ≤ 500 MB |",
        took / decoding
    );
    for name in ["long-a.wav", "long-b.wav"] {
        std::fs::remove_file(folder.join(name))?;
    }
    ["long0", "long1"].iter().try_for_each(|n| std::fs::remove_dir_all(folder.join(n)))?;
    Ok(())
}

/// Places the second working copy and prints seconds, peak memory and the error in samples.
pub fn placed(folder: &Path) -> Done {
    let rate = SampleRate::new(RATE as u64)?;
    let open = |n: usize| WorkFile::open(&channel_path(&folder.join(format!("long{n}")), 1));
    let both = [open(0)?, open(1)?];
    let (took, found) = seconds(|| {
        let of = |w: &WorkFile| Features::measure(w as &dyn Source, rate, &|| true);
        let features = [of(&both[0])?, of(&both[1])?];
        place([(&both[0], &features[0]), (&both[1], &features[1])], rate, &|| true)
    });
    let found = found?;
    let line = found.line.ok_or(found.reason)?;
    println!("{took} {} {}", peak_mb(), line.begins() - (LATER_S * RATE) as f64);
    Ok(())
}

/// Bursts that never repeat, heard by both with noise of their own.
fn record(files: &[std::path::PathBuf; 2]) -> Done {
    let rate = SampleRate::new(RATE as u64)?;
    let mut out = Vec::new();
    for file in files {
        out.push(WavWriter::create(file, WriteSpec::new(rate, 1, Depth::Int24))?);
    }
    let mut rng = ChaCha8Rng::seed_from_u64(3);
    let (mut level, mut past) = (0f32, 0f32);
    let mut block = vec![0f32; RATE / 8];
    for eighth in 0..8 * (LENGTH_S + LATER_S) {
        if rng.random_bool(0.5) {
            level = rng.random_range(0.05..0.4);
        }
        for v in &mut block {
            // A running mean takes the top octave down, as rooms do.
            let now = level * rng.random_range(-1f32..1.0);
            (*v, past) = (0.5 * (now + past), now);
            level *= 0.999_5;
        }
        for (n, out) in out.iter_mut().enumerate() {
            if (8 * LATER_S * n..8 * (LENGTH_S + LATER_S * n)).contains(&eighth) {
                let heard: Vec<f32> = block.iter().map(|v| v + rng.random_range(-0.003f32..0.003)).collect();
                out.push(&heard)?;
            }
        }
    }
    out.into_iter().try_for_each(|o| o.finish().map(drop))?;
    Ok(())
}
