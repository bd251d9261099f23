import type { Correction, Stretch, Track } from '../api/client'
import { clock, fixed, span, type Measure } from '../shared/units'

/** A stretch that carries something besides, and the session frames between which it is heard. */
export interface Heard {
  stretch: Stretch
  from: number
  to: number
}

/** This quiet, in dB, another take is heard there. */
const SILENT_DB = -100

/** The stretches of a track, where the server says they are heard. */
export function heardStretches(track: Pick<Track, 'stretches' | 'stretches_heard'>): Heard[] {
  const place = (i: number, edge: 0 | 1) => track.stretches_heard[i]?.[edge] ?? 0
  return track.stretches.map((stretch, i) => ({ stretch, from: place(i, 0), to: place(i, 1) }))
}

/** What is added to the track's own correction, in words. */
export function besides({ offset_frames, invert, gain_db }: Correction, m: Measure): string {
  const parts = [
    invert ? 'inverted' : '',
    offset_frames !== 0 ? span(offset_frames, 'samples', m) : '',
    gain_db <= SILENT_DB ? 'silent' : gain_db !== 0 ? `${fixed(gain_db, 2)} dB` : '',
  ]
  return parts.filter((p) => p !== '').join(', ')
}

/** A stretch in a line: from where to where, and what is added there. */
export function stretchText({ stretch, from, to }: Heard, m: Measure): string {
  return `${clock(from, m.rateHz)} to ${clock(to, m.rateHz)}: ${besides(stretch.besides, m)}`
}
