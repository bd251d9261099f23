//! One listener's thread: owns the open recordings and renders blocks as far ahead as the page asks for.

use super::wire::{self, BLOCK_FRAMES, MixRequest};
use crate::db::tracks::TrackRow;
use crate::store::Store;
use bytes::Bytes;
use marea_core::correct::Correction;
use marea_core::measure::meter::{NullMeter, correlation, read_stereo};
use marea_core::render::{Mix, TrackRenderer, Voice};
use marea_core::signal::Placed;
use marea_media::work::WorkFile;
use std::sync::mpsc::{Receiver, Sender, channel};
use tokio::sync::mpsc as tokio_mpsc;

/// What the thread is told.
enum Command {
    Play { from: i64, generation: u32, mix: MixRequest, tracks: Vec<TrackRow>, rate_hz: u32 },
    Credit(u32),
    Stop,
}

/// What the thread gives.
pub enum Reply {
    /// A block for the page.
    Block(Bytes),
    /// A sentence for the person.
    Trouble(String),
}

/// Handle of a listener's thread; dropping it ends the thread.
pub struct Player {
    commands: Sender<Command>,
}

impl Player {
    /// Starts the thread; blocks and sentences come out of the receiver.
    pub fn start(store: Store) -> (Self, tokio_mpsc::Receiver<Reply>) {
        let (commands, inbox) = channel();
        let (outbox, replies) = tokio_mpsc::channel(64);
        std::thread::spawn(move || run(&store, &inbox, &outbox));
        (Self { commands }, replies)
    }

    /// Plays from a frame on with the corrections the tracks carry now.
    pub fn play(&self, from: i64, generation: u32, mix: MixRequest, tracks: Vec<TrackRow>, rate_hz: u32) {
        let _ = self.commands.send(Command::Play { from, generation, mix, tracks, rate_hz });
    }

    /// Lets so many blocks more through.
    pub fn credit(&self, blocks: u32) {
        let _ = self.commands.send(Command::Credit(blocks));
    }

    /// Stops.
    pub fn stop(&self) {
        let _ = self.commands.send(Command::Stop);
    }
}

/// Blocks that may wait for the page at most, whatever it asks for.
const MOST_CREDIT: u32 = 256;

fn run(store: &Store, inbox: &Receiver<Command>, outbox: &tokio_mpsc::Sender<Reply>) {
    let mut next = inbox.recv().ok();
    while let Some(command) = next {
        next = match command {
            Command::Play { from, generation, mix, tracks, rate_hz } => {
                // In the order they were asked for: which is first decides what is left and what is subtracted.
                let chosen: Vec<&TrackRow> =
                    mix.tracks.iter().filter_map(|id| tracks.iter().find(|t| t.id == *id)).collect();
                let mut files = Vec::new();
                for t in chosen {
                    match store.open_channel(&t.sha256, rate_hz, t.channel) {
                        Ok(file) => files.push((t, file)),
                        Err(_) => {
                            let text = format!("The recording of “{}” is not in the store; the others play.", t.name);
                            let _ = outbox.blocking_send(Reply::Trouble(text));
                        }
                    }
                }
                play(from, generation, &mix, &files, inbox, outbox)
            }
            Command::Credit(_) | Command::Stop => inbox.recv().ok(),
        };
    }
}

/// Sends blocks while there is credit; returns the command that ends this playing, none when the page is gone.
fn play(
    from: i64,
    generation: u32,
    mix: &MixRequest,
    files: &[(&TrackRow, WorkFile)],
    inbox: &Receiver<Command>,
    outbox: &tokio_mpsc::Sender<Reply>,
) -> Option<Command> {
    let voices = |corrected: bool| Mix::new(voices(mix, files, corrected));
    let (mut corrected, mut recorded) = (voices(true), voices(false));
    let mut planes = [(); 4].map(|()| vec![0f32; BLOCK_FRAMES]);
    let mut pair = [(); 2].map(|()| vec![0f32; BLOCK_FRAMES]);
    let mut nulls = [NullMeter::default(), NullMeter::default()];
    let (mut at, mut credit) = (from, 0u32);
    loop {
        // Take what is waiting; wait when there is nothing to do.
        let command = if credit == 0 { Some(inbox.recv().ok()?) } else { inbox.try_recv().ok() };
        match command {
            Some(Command::Credit(n)) => {
                credit = credit.saturating_add(n).min(MOST_CREDIT);
                continue;
            }
            Some(other) => return Some(other),
            None => {}
        }
        let [cl, cr, rl, rr] = &mut planes;
        let nulls = &mut nulls;
        let read = || -> Result<_, marea_core::signal::ReadError> {
            let mut readings = Vec::new();
            for ((m, l, r), null) in [(&mut corrected, cl, cr), (&mut recorded, rl, rr)].into_iter().zip(nulls) {
                m.read(at, l, r)?;
                let mut reading = read_stereo(l, r);
                if (mix.centred || mix.difference) && m.voices.len() == 2 {
                    // Two tracks in the middle: what matters is how they stand to each other.
                    let [a, b] = &mut pair;
                    m.voices[0].track.read(at, a)?;
                    m.voices[1].track.read(at, b)?;
                    reading.correlation = correlation(a, b).map(|c| c as f32);
                    reading.null_depth_db = if mix.difference { null.push(a, b) } else { None };
                }
                if mix.mono {
                    for (x, y) in l.iter_mut().zip(r.iter_mut()) {
                        let sum = 0.5 * (*x + *y);
                        *x = sum;
                        *y = sum;
                    }
                }
                readings.push(reading);
            }
            Ok(readings)
        };
        match read() {
            Ok(readings) => {
                let bytes = wire::block(
                    generation,
                    at,
                    [&readings[0], &readings[1]],
                    [&planes[0], &planes[1], &planes[2], &planes[3]],
                );
                outbox.blocking_send(Reply::Block(bytes)).ok()?;
            }
            Err(e) => {
                outbox.blocking_send(Reply::Trouble(format!("Playing stopped: {e}"))).ok()?;
                return Some(Command::Stop);
            }
        }
        at += BLOCK_FRAMES as i64;
        credit -= 1;
    }
}

/// Sides and level of every voice. One voice alone passes as it is, so that it is bit for bit what is delivered; more are
/// brought down alike, as recorded and as corrected by the same factor.
fn voices<'a>(mix: &MixRequest, files: &'a [(&TrackRow, WorkFile)], corrected: bool) -> Vec<Voice<'a>> {
    let n = files.len() as f32;
    let (apart, difference) = (mix.apart && files.len() == 2, mix.difference && files.len() == 2);
    let level = if files.len() <= 1 || apart || difference { 1.0 } else { (1.4 / n.sqrt()).min(1.0) };
    files
        .iter()
        .enumerate()
        .map(|(nth, (t, file))| {
            let correction = if corrected { t.correction() } else { Correction::default() };
            let sides = match t.side.as_str() {
                _ if difference && nth == 0 => [level; 2],
                _ if difference => [-level; 2],
                _ if apart && nth == 0 => [level, 0.0],
                _ if apart => [0.0, level],
                _ if files.len() == 1 || mix.centred => [level, level],
                "left" => [level, 0.0],
                "right" => [0.0, level],
                _ => [level * std::f32::consts::FRAC_1_SQRT_2; 2],
            };
            Voice { track: TrackRenderer::new(Placed { source: file, start: t.start_frame }, &correction), sides }
        })
        .collect()
}
