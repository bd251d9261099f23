//! FLAC and AIFF/AIFF-C through Symphonia.

use crate::info::{AudioInfo, MAX_CHANNELS, MediaError};
use crate::stop::Stop;
use marea_core::units::SampleRate;
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};
use std::path::Path;
use symphonia::core::codecs::audio::{AudioDecoder, AudioDecoderOptions};
use symphonia::core::errors::Error;
use symphonia::core::formats::probe::Hint;
use symphonia::core::formats::{FormatOptions, FormatReader, TrackType};
use symphonia::core::io::{MediaSource, MediaSourceStream};
use symphonia::core::meta::MetadataOptions;

/// Packets of one audio track.
pub struct CompressedReader {
    format: Box<dyn FormatReader>,
    decoder: Box<dyn AudioDecoder>,
    track: u32,
    channels: usize,
    scratch: Vec<f32>,
    done: bool,
}

/// A file whose reading can be stopped: the library may search for packets for a long time.
struct Watched {
    file: File,
    stop: Stop,
}

impl Read for Watched {
    fn read(&mut self, out: &mut [u8]) -> std::io::Result<usize> {
        if self.stop.asked() { Err(std::io::Error::other("stopped on request")) } else { self.file.read(out) }
    }
}

impl Seek for Watched {
    fn seek(&mut self, to: SeekFrom) -> std::io::Result<u64> {
        self.file.seek(to)
    }
}

impl MediaSource for Watched {
    fn is_seekable(&self) -> bool {
        true
    }

    fn byte_len(&self) -> Option<u64> {
        self.file.metadata().ok().map(|m| m.len())
    }
}

fn malformed(e: &Error) -> MediaError {
    match e {
        Error::Unsupported(what) => MediaError::Coding((*what).to_string()),
        other => MediaError::Malformed(other.to_string()),
    }
}

impl CompressedReader {
    /// Opens a file known to be FLAC or AIFF.
    pub fn open(path: &Path, flac: bool, stop: &Stop) -> Result<(AudioInfo, Self), MediaError> {
        if !flac {
            crate::aiff::look(path, stop)?;
        }
        let file = Watched { file: File::open(path)?, stop: stop.clone() };
        let stream = MediaSourceStream::new(Box::new(file), Default::default());
        let format = symphonia::default::get_probe()
            .probe(&Hint::new(), stream, FormatOptions::default(), MetadataOptions::default())
            .map_err(|e| if stop.asked() { MediaError::Stopped } else { malformed(&e) })?;
        let missing = |what: &str| MediaError::Malformed(format!("its header names no {what}"));
        let track = format.default_track(TrackType::Audio).ok_or_else(|| missing("sound"))?;
        let params = track.codec_params.as_ref().and_then(|p| p.audio()).ok_or_else(|| missing("coding"))?;
        let rate = SampleRate::new(u64::from(params.sample_rate.ok_or_else(|| missing("rate"))?))?;
        let channels = params.channels.as_ref().map_or(0, |c| c.count());
        let channels16 = u16::try_from(channels).unwrap_or(u16::MAX);
        if channels == 0 || channels16 > MAX_CHANNELS {
            return Err(MediaError::Channels(channels16));
        }
        let bits = params.bits_per_sample.map_or(String::new(), |b| format!(", {b}-bit"));
        let info = AudioInfo {
            rate,
            channels: channels16,
            frames: track.num_frames,
            coding: format!("{}{bits}", if flac { "FLAC" } else { "AIFF" }),
            time_reference: None,
            channel_mask: None,
            notes: Vec::new(),
        };
        let decoder = symphonia::default::get_codecs()
            .make_audio_decoder(params, &AudioDecoderOptions::default())
            .map_err(|e| malformed(&e))?;
        let track = track.id;
        Ok((info, Self { format, decoder, track, channels, scratch: Vec::new(), done: false }))
    }

    /// Appends the next packet that holds sound. A stream that breaks off or turns to nonsense ends there, with a note.
    pub fn next_block(&mut self, out: &mut Vec<f32>, notes: &mut Vec<String>, stop: &Stop) -> Result<(), MediaError> {
        while out.is_empty() && !self.done {
            if stop.asked() {
                return Err(MediaError::Stopped);
            }
            let packet = match self.format.next_packet() {
                Ok(Some(p)) => p,
                Ok(None) => {
                    self.done = true;
                    break;
                }
                Err(e) => {
                    self.done = true;
                    notes.push(format!("breaks off ({e}); what came before was kept"));
                    break;
                }
            };
            if packet.track_id != self.track {
                continue;
            }
            match self.decoder.decode(&packet) {
                Ok(buffer) if buffer.num_planes() == self.channels => {
                    buffer.copy_to_vec_interleaved(&mut self.scratch);
                    out.extend_from_slice(&self.scratch);
                }
                Ok(_) | Err(Error::DecodeError(_)) => {
                    self.done = true;
                    notes.push("is damaged inside; what came before was kept".into());
                }
                Err(e) => return Err(malformed(&e)),
            }
        }
        Ok(())
    }
}
