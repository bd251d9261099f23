//! One listener's thread: owns the open recordings and renders blocks as far ahead as the page asks for.

use super::command::{Command, Key, Play};
use super::sound::Sound;
use super::wire::{self, BLOCK_FRAMES, Header, PlayRange};
use crate::db::tracks::TrackRow;
use crate::derive::work::open;
use crate::store::Store;
use bytes::Bytes;
use marea_core::edit::piece::SEAM_S;
use marea_media::work::WorkFile;
use std::ops::Range;
use std::sync::mpsc::{Receiver, Sender, channel};
use tokio::sync::mpsc as tokio_mpsc;

/// What the thread gives.
pub enum Reply {
    /// A block for the page.
    Block(Bytes),
    /// A sentence for the person.
    Trouble(String),
    /// The range of a generation has been sent to its end.
    End(u32),
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
        // Measurements beside the playing answer here. The thread ends when its handle is dropped.
        let own = commands.clone();
        std::thread::spawn(move || Thread { store, inbox, outbox, own, known: Vec::new() }.run());
        (Self { commands }, replies)
    }

    /// Says something to the thread.
    pub fn tell(&self, command: Command) {
        let _ = self.commands.send(command);
    }
}

impl Drop for Player {
    fn drop(&mut self) {
        // The thread holds a sender of its own for what is measured beside it, so it has to be told.
        let _ = self.commands.send(Command::Stop);
        let _ = self.commands.send(Command::Credit(END));
    }
}

/// Blocks that may wait for the page at most, whatever it asks for.
const MOST_CREDIT: u32 = 256;
/// A credit that means: the page is gone.
const END: u32 = u32::MAX;
/// Matches that are remembered.
const MOST_KNOWN: usize = 16;
struct Thread {
    store: Store,
    inbox: Receiver<Command>,
    outbox: tokio_mpsc::Sender<Reply>,
    own: Sender<Command>,
    known: Vec<(Key, [f64; 2])>,
}

impl Thread {
    fn run(mut self) {
        let mut next = self.inbox.recv().ok();
        while let Some(command) = next {
            next = match command {
                Command::Play(play) => self.play(&play),
                Command::Credit(END) => None,
                Command::Credit(_) | Command::Stop => self.inbox.recv().ok(),
                Command::Matched { key, db } => {
                    self.remember(key, db);
                    self.inbox.recv().ok()
                }
            };
        }
    }

    fn remember(&mut self, key: Key, db: [f64; 2]) {
        self.known.retain(|k| k.0 != key);
        self.known.push((key, db));
        if self.known.len() > MOST_KNOWN {
            self.known.remove(0);
        }
    }

    /// In the order they were asked for: which is first decides what is left and what is subtracted.
    fn open(&self, play: &Play) -> Vec<(TrackRow, WorkFile)> {
        let chosen = play.mix.tracks.iter().filter_map(|id| play.tracks.iter().find(|t| t.id == *id));
        let mut files = Vec::new();
        for t in chosen {
            match open(&self.store, t, play.rate.hz()) {
                Ok(file) => files.push((t.clone(), file)),
                Err(e) => {
                    let _ = self.outbox.blocking_send(Reply::Trouble(format!("{e}; the others play.")));
                }
            }
        }
        files
    }

    /// Levels at which both ways are as loud, where that is wanted and known; begins to measure them where it is not.
    fn matched(&self, play: &Play, key: &Key, files: &[(TrackRow, WorkFile)]) -> Option<[f64; 2]> {
        if !play.mix.matched {
            return None;
        }
        let known = self.known.iter().find(|k| k.0 == *key).map(|k| k.1);
        if known.is_none() {
            let rows = files.iter().map(|f| f.0.clone()).collect();
            key.measure(&self.store, rows, play.rate, self.own.clone());
        }
        known
    }

    /// Sends blocks while there is credit; returns the command that ends this playing, none when the page is gone.
    fn play(&mut self, play: &Play) -> Option<Command> {
        let files = self.open(play);
        let mut sound = Sound::new(&play.mix, &files, play.rate, &play.tempo);
        // Fade at the seam of a loop, in samples: as long as that of a stretch.
        let seam = play.rate.frames(SEAM_S) as f64;
        let range = play.range.filter(|r| r.to.saturating_sub(r.from) as f64 > 4.0 * seam * sound.speed);
        let key =
            Key::of(&play.mix, &files, range.filter(|r| r.repeat).map_or_else(|| extent(&files), |r| r.from..r.to));
        let mut matched = self.matched(play, &key, &files);
        if let Some(db) = matched {
            sound.level(db, true);
        }
        let mut path = Path { at: play.from, range, turned: false, speed: sound.speed, seam };
        let mut credit = 0u32;
        loop {
            // Take what is waiting; wait when there is nothing to do.
            let command = if credit == 0 { Some(self.inbox.recv().ok()?) } else { self.inbox.try_recv().ok() };
            match command {
                Some(Command::Credit(END)) => return None,
                Some(Command::Credit(n)) => {
                    credit = credit.saturating_add(n).min(MOST_CREDIT);
                    continue;
                }
                Some(Command::Matched { key: of, db }) => {
                    if of == key {
                        sound.level(db, false);
                        matched = Some(db);
                    }
                    self.remember(of, db);
                    continue;
                }
                Some(other) => return Some(other),
                None => {}
            }
            let Some(count) = path.count() else {
                self.outbox.blocking_send(Reply::End(play.generation)).ok()?;
                return self.inbox.recv().ok();
            };
            match sound.read(path.at, count) {
                Ok(readings) => {
                    path.fade(&mut sound);
                    let header = Header {
                        generation: play.generation,
                        frames: count as u32,
                        start: path.at,
                        speed: sound.speed as f32,
                        matched_db: matched.map_or([f32::NAN; 2], |db: [f64; 2]| db.map(|v| v as f32)),
                    };
                    let bytes = wire::block(&header, [&readings[0], &readings[1]], sound.levels(), sound.planes());
                    self.outbox.blocking_send(Reply::Block(bytes)).ok()?;
                }
                Err(e) => {
                    self.outbox.blocking_send(Reply::Trouble(format!("Playing stopped: {e}"))).ok()?;
                    return Some(Command::Stop);
                }
            }
            path.on(count);
            credit -= 1;
        }
    }
}

/// From the first to the last frame that can sound.
fn extent(files: &[(TrackRow, WorkFile)]) -> Range<i64> {
    let rows = || files.iter().map(|(t, _)| t);
    let first = rows().map(|t| t.start_frame).min().unwrap_or(0);
    first..rows().map(|t| t.start_frame.saturating_add(t.frames)).max().unwrap_or(first)
}

/// The way through the session: straight on, to an end, or round and round.
struct Path {
    at: f64,
    range: Option<PlayRange>,
    /// The loop was gone through once at least.
    turned: bool,
    speed: f64,
    /// Samples of its fades.
    seam: f64,
}

impl Path {
    /// Samples of the next block; none behind the end.
    fn count(&self) -> Option<usize> {
        let Some(range) = self.range else { return Some(BLOCK_FRAMES) };
        let left = (range.to as f64 - self.at) / self.speed;
        if left > 0.0 {
            Some((left.ceil() as usize).clamp(1, BLOCK_FRAMES))
        } else if range.repeat {
            // Begun behind the loop: straight on.
            Some(BLOCK_FRAMES)
        } else {
            None
        }
    }

    /// Out before the end and in after it, so that nothing clicks.
    fn fade(&self, sound: &mut Sound) {
        let Some(range) = self.range.filter(|r| self.at < r.to as f64) else { return };
        let (from, to, seam) = (range.from as f64, range.to as f64, self.seam * self.speed);
        let near = to - self.at < (BLOCK_FRAMES as f64) * self.speed + seam || (self.turned && self.at - from < seam);
        if !near {
            return;
        }
        let (at, speed, turned) = (self.at, self.speed, self.turned);
        sound.shape(|n| {
            let place = at + speed * n as f64;
            let rise = if turned { (place - from) / seam } else { 1.0 };
            rise.min((to - place) / seam).clamp(0.0, 1.0) as f32
        });
    }

    fn on(&mut self, count: usize) {
        let was = self.at;
        self.at += count as f64 * self.speed;
        if let Some(range) = self.range.filter(|r| r.repeat)
            && was < range.to as f64
            && self.at >= range.to as f64
        {
            self.at = range.from as f64;
            self.turned = true;
        }
    }
}
