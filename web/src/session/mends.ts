import type { Correction, Mend, Track } from '../api/client'
import { clock, fixed, span, type Measure } from '../shared/units'

/** A stretch that carries something besides, in session frames as the track lies now. */
export interface Stretch {
  mend: Mend
  from: number
  to: number
}

/** The stretches of a track, where they are heard. */
export function stretches(track: Pick<Track, 'start_frame' | 'correction' | 'mends'>): Stretch[] {
  const first = track.start_frame + Math.floor(track.correction.offset_frames)
  return track.mends.map((mend) => ({ mend, from: first + mend.from, to: first + mend.to }))
}

/** What is added to the track's own correction, in words. */
export function besides({ offset_frames, invert, gain_db }: Correction, m: Measure): string {
  const parts = [invert ? 'inverted' : '', offset_frames !== 0 ? span(offset_frames, 'samples', m) : '', gain_db !== 0 ? `${fixed(gain_db, 2)} dB` : '']
  return parts.filter((p) => p !== '').join(', ')
}

/** A stretch in a line: from where to where, and what is added there. */
export function stretchText({ mend, from, to }: Stretch, m: Measure): string {
  return `${clock(from, m.rateHz)} to ${clock(to, m.rateHz)}: ${besides(mend.besides, m)}`
}
