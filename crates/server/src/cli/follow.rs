//! `marea follow`: a print against the send it was made from, or one microphone against another while somebody walks between them.

use super::args::WriteArgs;
use super::files::{Loaded, load};
use super::report::round;
use super::write::{Planned, write_all};
use clap::Args;
use marea_core::follow::{self, Followed};
use marea_core::units::SampleRate;
use marea_core::verdict::Verdict;
use serde::Serialize;
use std::path::PathBuf;

/// A send and its print.
#[derive(Debug, Args)]
pub struct FollowArgs {
    /// What was sent.
    pub send: PathBuf,
    /// What came back and was recorded again, up to 10 s later. The first channel of each is compared.
    #[arg(value_name = "RETURN")]
    pub print: PathBuf,
    /// Both are microphones, and somebody walks between them: the lag is looked for within 40 ms either way.
    #[arg(long)]
    pub walker: bool,
    /// Print JSON (docs/follow.schema.json) instead of a summary.
    #[arg(long)]
    pub json: bool,
    /// Write the corrected print into this folder, beginning where the send begins.
    #[arg(long)]
    pub out: Option<PathBuf>,
    /// How it is corrected there. One offset, and offset with speed, are found without following all of the lag, in a fraction of the time.
    #[arg(long, value_enum, default_value = "map")]
    pub way: Way,
    /// How it is written.
    #[command(flatten)]
    pub write: WriteArgs,
}

/// A way to correct a print, as the command line has it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, clap::ValueEnum)]
pub enum Way {
    /// One offset.
    Offset,
    /// An offset and a constant speed.
    Drift,
    /// All of the lag along time: the speed follows it.
    Map,
}

impl From<Way> for follow::Way {
    fn from(way: Way) -> Self {
        match way {
            Way::Offset => Self::Offset,
            Way::Drift => Self::Drift,
            Way::Map => Self::Map,
        }
    }
}

/// What `follow --json` prints; docs/follow.schema.json describes it. What cannot be followed has no numbers.
#[derive(Debug, Serialize)]
struct Report {
    send: String,
    #[serde(rename = "return")]
    print: String,
    sample_rate_hz: u32,
    lag_samples: Option<f64>,
    offset_samples: Option<f64>,
    invert: bool,
    drift_ppm: Option<f64>,
    measured_share: f64,
    lag_curve: Option<LagCurve>,
    wow: Vec<Swing>,
    residual_db: Option<Residual>,
    verdict: Verdict,
    reason: String,
}

#[derive(Debug, Serialize)]
struct LagCurve {
    first_sample: f64,
    step_samples: f64,
    lag_samples: Vec<f64>,
    measured: Vec<bool>,
}

#[derive(Debug, Serialize)]
struct Swing {
    hz: f64,
    lag_samples: f64,
    speed_percent: f64,
}

#[derive(Debug, Serialize)]
struct Residual {
    offset: f64,
    /// None of a walker.
    drift: Option<f64>,
    /// None where only a line was looked for.
    map: Option<f64>,
}

/// `marea follow`.
///
/// # Errors
/// A sentence that names the file.
pub fn run_follow(args: &FollowArgs) -> Result<(), String> {
    let rate = marea_media::AudioReader::open(&args.send).map_err(|e| format!("{} {e}", args.send.display()))?;
    let rate = rate.info().rate;
    let folder = tempfile::tempdir().map_err(|e| format!("no temporary folder: {e}"))?;
    let send = load(&args.send, &folder.path().join("send"), rate)?;
    let print = load(&args.print, &folder.path().join("return"), rate)?;
    let of = |f: &Loaded| format!("{}: no channel", f.name);
    let sent = send.channels.first().ok_or_else(|| of(&send))?;
    let came = print.channels.first().ok_or_else(|| of(&print))?;
    if args.walker && args.way == Way::Drift {
        return Err("who walks has no constant speed: --way offset or --way map".into());
    }
    let followed = match (args.walker, args.way) {
        (true, _) => follow::walker,
        (false, Way::Map) => follow::follow,
        (false, Way::Offset | Way::Drift) => follow::follow_straight,
    };
    let found = followed(sent, came, rate, &|_| true).map_err(|e| e.to_string())?;
    let report = report((&send, &print), rate, &found, args);
    if let Some(out) = &args.out {
        if found.verdict == Verdict::Undecided {
            return Err(format!("{} is left as it is: {}", print.name, found.reason));
        }
        let edit = found
            .edit(args.way.into())
            .ok_or_else(|| format!("{}: its speed changes too much for a correction", print.name))?;
        let plan = [Planned::of(&print, vec![edit; print.channels.len()])];
        let description = |name: &str| format!("{name}, corrected to {}", send.name);
        write_all(&plan, &send, rate, (out, &args.write), &description)?;
    }
    if args.json {
        say!("{}", serde_json::to_string_pretty(&report).map_err(|e| e.to_string())?);
    } else {
        summary(&report);
    }
    Ok(())
}

fn report((send, print): (&Loaded, &Loaded), rate: SampleRate, f: &Followed, args: &FollowArgs) -> Report {
    let (walker, straight) = (args.walker, !args.walker && args.way != Way::Map);
    // No minus before a zero.
    let to = |v: f64, per: f64| round(v, per) + 0.0;
    let any = !f.lag_frames.is_empty();
    Report {
        send: send.name.clone(),
        print: print.name.clone(),
        sample_rate_hz: rate.hz(),
        lag_samples: any.then(|| to(f.later_frames, 1e3)),
        offset_samples: any.then(|| to(-f.later_frames, 1e3)),
        invert: f.invert,
        drift_ppm: (any && !walker).then(|| to(f.drift_ppm, 1e2)),
        measured_share: to(f.share, 1e4),
        lag_curve: any.then(|| LagCurve {
            first_sample: f.step_frames / 2.0,
            step_samples: f.step_frames,
            lag_samples: f.lag_frames.iter().map(|l| to(*l, 1e3)).collect(),
            measured: f.measured.clone(),
        }),
        wow: f
            .wow
            .iter()
            .map(|w| Swing {
                hz: to(w.hz, 1e3),
                lag_samples: to(w.frames, 1e3),
                speed_percent: to(100.0 * w.speed, 1e4),
            })
            .collect(),
        residual_db: any.then(|| Residual {
            offset: to(f.left.offset, 1e2),
            drift: (!walker).then(|| to(f.left.drift, 1e2)),
            map: (!straight).then(|| to(f.left.map, 1e2)),
        }),
        verdict: f.verdict,
        reason: f.reason.clone(),
    }
}

fn summary(r: &Report) {
    let verdict = format!("{:?}", r.verdict).to_lowercase();
    say!("{} against {}: {verdict}; {}", r.print, r.send, r.reason);
    let (Some(lag), Some(left)) = (r.lag_samples, &r.residual_db) else { return };
    let ms = lag * 1_000.0 / f64::from(r.sample_rate_hz);
    let way = if r.invert { "inverted" } else { "upright" };
    let drift = r.drift_ppm.map_or(String::new(), |ppm| format!("; {ppm:+.1} ppm longer"));
    say!("  {lag:.2} samples later ({ms:.3} ms, median), {way}{drift}");
    for w in &r.wow {
        say!("  {:.2} Hz: {:.4} % of the speed, {:.2} samples of lag", w.hz, w.speed_percent, w.lag_samples);
    }
    let ways = [("one offset", Some(left.offset)), ("offset and drift", left.drift), ("the whole lag", left.map)];
    let told = ways.iter().filter_map(|(way, db)| db.map(|db| format!("{way} {db:.1} dB")));
    say!("  left of it when the other is subtracted: by {}", told.collect::<Vec<_>>().join(", "));
}
