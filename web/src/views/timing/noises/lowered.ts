import type { Stretch, Track } from '../../../api/client'
import { heardStretches } from '../../../session/stretches'

/** So quiet, in dB, another take is heard: that is no noise. */
const SILENT_DB = -100

/** Stretches that are lowered by hand or as noises, with where they are heard. */
export const loweredOf = (track: Pick<Track, 'stretches' | 'stretches_heard'>) =>
  heardStretches(track).filter(({ stretch: { besides } }) => besides.gain_db < 0 && besides.gain_db > SILENT_DB && !besides.invert)

/** Is a range of the recording lowered already? */
export const isLowered = (stretches: readonly Stretch[], [from, to]: readonly number[]) =>
  stretches.some((s) => s.besides.gain_db < 0 && s.from < to! && from! < s.to)
