import type { Correction, Mend, Track } from '../api/client'
import { clock, fixed, span, type Measure } from '../shared/units'

/** A stretch that carries something besides, in session frames as the track lies now. */
export interface Stretch {
  mend: Mend
  from: number
  to: number
}

/** The stretches of a track, where the server says they are heard. */
export function stretches(track: Pick<Track, 'mends' | 'mends_heard'>): Stretch[] {
  return track.mends.map((mend, i) => ({ mend, from: track.mends_heard[i]?.[0] ?? 0, to: track.mends_heard[i]?.[1] ?? 0 }))
}

/** What is added to the track's own correction, in words. */
export function besides({ offset_frames, invert, gain_db }: Correction, m: Measure): string {
  const parts = [
    invert ? 'inverted' : '',
    offset_frames !== 0 ? span(offset_frames, 'samples', m) : '',
    gain_db !== 0 ? `${fixed(gain_db, 2)} dB` : '',
  ]
  return parts.filter((p) => p !== '').join(', ')
}

/** A stretch in a line: from where to where, and what is added there. */
export function stretchText({ mend, from, to }: Stretch, m: Measure): string {
  return `${clock(from, m.rateHz)} to ${clock(to, m.rateHz)}: ${besides(mend.besides, m)}`
}
