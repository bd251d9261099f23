//! Writing aligned files and the sheet of values.

use crate::db::sessions::{self, Session};
use crate::db::tracks::{self, TrackRow};
use crate::derive::work::open_until;
use crate::store::{Store, remove};
use crate::tasks::{DeliverOptions, FileDepth, FileStart};
use crate::worker::{JobError, Reporter, Workers, blocking};
use marea_core::edit::stretch::Stretch;
use marea_core::signal::Placed;
use marea_core::units::{Conditions, SampleRate};
use marea_media::write::{Depth, WriteSpec};
use marea_session::deliver::{Channel, DeliverError, Written, span, write_file};
use marea_session::names::{disk_name, stem};
use marea_session::paths_sheet::is_formula;
use serde::{Deserialize, Serialize};
use serde_json::json;
use std::collections::HashSet;
use std::fmt::Write as _;
use std::path::Path;
use utoipa::ToSchema;
use uuid::Uuid;

/// A file that was written.
#[derive(Debug, Clone, Serialize, Deserialize, ToSchema)]
pub struct DeliveredFile {
    /// Name.
    pub name: String,
    /// Bytes.
    pub bytes: u64,
    /// Samples held at full scale.
    pub clipped: u64,
    /// Frames of sound before the file's beginning that were left out.
    pub left_out_frames: i64,
}

/// Renders every track and the sheet into the job's delivery folder.
///
/// # Errors
/// As [`JobError`] says; nothing is left behind.
pub async fn run(
    w: &Workers,
    session: Uuid,
    job: Uuid,
    options: &DeliverOptions,
    reporter: &Reporter,
) -> Result<serde_json::Value, JobError> {
    let s = sessions::get(&w.db, session).await?;
    let all = tracks::of_session(&w.db, session).await?;
    if all.is_empty() {
        return Err(JobError::Failed("there is nothing to deliver: the session has no recordings".into()));
    }
    let (store, options, rep) = (w.store.clone(), options.clone(), reporter.clone());
    blocking(move || {
        let part = store.part();
        let made = write_all(&store, &part, (&s, &all), &options, &rep);
        match made {
            Ok(files) => {
                store.replace(&part, &store.delivery(job)).map_err(|e| JobError::Failed(e.to_string()))?;
                Ok(json!({ "files": files }))
            }
            Err(e) => {
                remove(&part);
                Err(e)
            }
        }
    })
    .await
}

fn write_all(
    store: &Store,
    folder: &Path,
    (s, all): (&Session, &[TrackRow]),
    options: &DeliverOptions,
    rep: &Reporter,
) -> Result<Vec<DeliveredFile>, JobError> {
    std::fs::create_dir_all(folder).map_err(disk)?;
    let rate_hz = s.rate_hz.unwrap_or(48_000);
    let rate = SampleRate::new(u64::from(rate_hz)).map_err(|e| JobError::Failed(e.to_string()))?;
    let groups = groups(all, &options.tracks);
    all_there(all, &options.tracks)?;
    let stop = rep.stop();
    let sources = all.iter().map(|t| open_until(store, t, rate_hz, &stop)).collect::<Result<Vec<_>, _>>()?;
    let channel = |t: &TrackRow| -> usize { all.iter().position(|o| o.id == t.id).expect("a group is of the session") };
    let channels: Vec<Channel> = (all.iter().zip(&sources))
        .map(|(t, source)| Channel { sound: Placed { source, start: t.start() }, edit: t.edit() })
        .collect();
    // The range is that of the whole session, so that files delivered at different times fit together.
    let [first, end] = span(&channels, rate);
    let start = match options.start {
        FileStart::Session => 0,
        FileStart::Earliest => first,
    };
    let bytes: i64 = groups.iter().map(|g| g.len() as i64 * (end - start).max(0) * 4).sum();
    store
        .check_room(u64::try_from(bytes).unwrap_or(0))
        .map_err(|e| JobError::Failed(format!("no delivery was written: {e}")))?;
    let mut taken = HashSet::new();
    let mut files = Vec::new();
    let mut sheet = sheet_head();
    let total = (end - start).max(1) * groups.len() as i64;
    for (g, group) in groups.iter().enumerate() {
        let title = if group.len() > 1 { stem(&group[0].file_name) } else { &group[0].name };
        let name = disk_name(title, "wav", &mut taken);
        let before = g as i64 * (end - start).max(1);
        let mut report = |done: i64| rep.report((before + done) as f64 / total as f64, &format!("writing {name}"));
        let own: Vec<Channel> = group.iter().map(|t| channels[channel(t)]).collect();
        let spec = spec(s, rate, (group.len(), title), options.depth, start);
        let written = write_file(&folder.join(&name), spec, &own, [start, end], &mut report).map_err(|e| match e {
            DeliverError::Disk(e) => disk(e),
            DeliverError::Read(e) => JobError::Failed(e.to_string()),
            DeliverError::Stopped => JobError::Stopped,
        })?;
        let bytes = std::fs::metadata(folder.join(&name)).map_err(disk)?.len();
        for (t, channel) in group.iter().zip(1..) {
            sheet_row(&mut sheet, s, t, rate, (&name, channel));
        }
        let Written { clipped, left_out_frames } = written;
        files.push(DeliveredFile { name, bytes, clipped, left_out_frames });
    }
    std::fs::write(folder.join("values.csv"), &sheet).map_err(disk)?;
    files.push(DeliveredFile { name: "values.csv".into(), bytes: sheet.len() as u64, clipped: 0, left_out_frames: 0 });
    Ok(files)
}

fn all_there(all: &[TrackRow], wanted: &[Uuid]) -> Result<(), JobError> {
    match wanted.iter().filter(|id| !all.iter().any(|t| t.id == **id)).count() {
        0 => Ok(()),
        gone => Err(JobError::Failed(format!(
            "{gone} of the chosen tracks are not in the session any more; no delivery was written"
        ))),
    }
}

fn disk(e: std::io::Error) -> JobError {
    match e.kind() {
        std::io::ErrorKind::StorageFull => JobError::Failed("the disk is full; no delivery was written".into()),
        _ => JobError::Failed(format!("the delivery could not be written: {e}")),
    }
}

/// What a file says of itself. It begins at a session frame.
fn spec(s: &Session, rate: SampleRate, (channels, title): (usize, &str), depth: FileDepth, start: i64) -> WriteSpec {
    let depth = if depth == FileDepth::Int24 { Depth::Int24 } else { Depth::Float32 };
    let mut spec = WriteSpec::new(rate, u16::try_from(channels).unwrap_or(1), depth);
    let midnight = s.origin_frames.unwrap_or(0) + start;
    // A session that starts before midnight of its stamp wraps into the day before.
    spec.time_reference = u64::try_from(midnight.rem_euclid(i64::from(rate.hz()) * 86_400)).unwrap_or(0);
    spec.description = format!("{} - {title}, aligned", s.name);
    spec
}

/// One file a recording: its channels together, in their order. What is linked is delivered together, each file as it came.
fn groups<'a>(all: &'a [TrackRow], wanted: &[Uuid]) -> Vec<Vec<&'a TrackRow>> {
    let mut groups: Vec<Vec<&TrackRow>> = Vec::new();
    for t in all {
        match groups.iter_mut().find(|g| t.channels > 1 && g[0].sha256 == t.sha256) {
            Some(group) => group.push(t),
            None => groups.push(vec![t]),
        }
    }
    // Left first: the channels of a pair whose sides were exchanged change places in the file.
    for group in groups.iter_mut().filter(|g| g.len() == 2 && g[0].side == "right" && g[1].side == "left") {
        group.swap(0, 1);
    }
    let links: Vec<Uuid> = all.iter().filter(|t| wanted.contains(&t.id)).filter_map(|t| t.link_id).collect();
    let asked = |t: &TrackRow| wanted.contains(&t.id) || t.link_id.is_some_and(|l| links.contains(&l));
    groups.retain(|g| wanted.is_empty() || g.iter().any(|t| asked(t)));
    groups
}

fn sheet_head() -> String {
    "file,channel,track,source,role,recorded_at_frame,offset_samples,offset_ms,distance_m,polarity,gain_db,rate_hz,recording,mended,path_samples\n".into()
}

/// One row of the sheet of values (RFC 4180).
fn sheet_row(sheet: &mut String, s: &Session, t: &TrackRow, rate: SampleRate, (file, channel): (&str, usize)) {
    // A cell that starts like a formula is one to a spreadsheet; an apostrophe makes it text.
    let quote = |text: &str| {
        let guard = if is_formula(text) { "'" } else { "" };
        format!("\"{guard}{}\"", text.replace('"', "\"\""))
    };
    let at = Conditions { rate, air: s.air() };
    let moved = t.edit().placement.total();
    let _ = writeln!(
        sheet,
        "{},{},{},{},{},{},{},{:.4},{:.4},{},{:.2},{},{},{},{}",
        quote(file),
        channel,
        quote(&t.name),
        quote(&t.source),
        t.role,
        t.start_frame,
        moved,
        rate.ms(moved.0),
        at.metres(moved.0),
        if t.edit().invert { "inverted" } else { "upright" },
        t.edit().gain_db,
        rate.hz(),
        quote(&t.file_name),
        quote(&repaired(t, rate)),
        t.edit().placement.path_frames,
    );
}

/// Stretches that carry something besides, by the recording's own time.
fn repaired(t: &TrackRow, rate: SampleRate) -> String {
    let one = |m: &Stretch| {
        let (from, to) = (rate.ms(m.from.0 as f64) / 1_000.0, rate.ms(m.to.0 as f64) / 1_000.0);
        let inverted = if m.besides.invert { ", inverted" } else { "" };
        format!("{from:.3} to {to:.3} s: {} samples, {:.2} dB{inverted}", m.besides.offset_frames, m.besides.gain_db)
    };
    t.edit().stretches.iter().map(one).collect::<Vec<_>>().join("; ")
}
