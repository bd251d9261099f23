import type { Track } from '../../api/client'
import { heardStretches, stretchText } from '../../session/stretches'
import type { Measure } from '../../shared/units'

/** All values as a table for the clipboard: tabs between columns, numbers with a plain minus, a line a track. */
export function valuesText(tracks: readonly Track[], m: Measure): string {
  const head = ['track', 'offset samples', 'offset ms', 'polarity', 'gain dB', 'repaired stretches']
  const row = (t: Track) => {
    const { offset_frames, invert, gain_db } = t.correction
    const repaired = heardStretches(t).map((s) => stretchText(s, m).replaceAll('\u2212', '-'))
    return [
      t.name,
      offset_frames,
      ((offset_frames / m.rateHz) * 1000).toFixed(4),
      invert ? 'inverted' : 'upright',
      gain_db,
      repaired.join('; '),
    ]
  }
  return [head, ...tracks.map(row)].map((cells) => cells.join('\t')).join('\n')
}
