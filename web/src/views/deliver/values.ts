import type { Track } from '../../api/client'
import { heardStretches, stretchText } from '../../session/stretches'
import type { Measure } from '../../shared/units'

/** By how many frames a track plays later in all: by alignment and for its path. */
export function movedBy(t: Track): number {
  return t.correction.offset_frames + t.path_frames
}

/** All values as a table for the clipboard: tabs between columns, numbers with a plain minus, a line a track. */
export function valuesText(tracks: readonly Track[], m: Measure): string {
  const head = ['track', 'offset samples', 'offset ms', 'polarity', 'gain dB', 'repaired stretches', 'of the offset for its path, samples']
  const row = (t: Track) => {
    const { invert, gain_db } = t.correction
    const moved = movedBy(t)
    const repaired = heardStretches(t).map((s) => stretchText(s, m).replaceAll('\u2212', '-'))
    return [
      t.name,
      moved,
      ((moved / m.rateHz) * 1000).toFixed(4),
      invert ? 'inverted' : 'upright',
      gain_db,
      repaired.join('; '),
      t.path_frames,
    ]
  }
  return [head, ...tracks.map(row)].map((cells) => cells.join('\t')).join('\n')
}
