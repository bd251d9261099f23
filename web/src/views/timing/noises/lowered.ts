import type { Stretch, Track } from '../../../api/client'
import { heardStretches } from '../../../session/stretches'

/** So quiet, in dB, another take is heard: that is no noise. */
const SILENT_DB = -100
/** The silence itself, in dB. */
const SILENCE_DB = -144

/** Stretches that are lowered by hand or as noises, with where they are heard. */
export const loweredOf = (track: Pick<Track, 'stretches' | 'stretches_heard'>) =>
  heardStretches(track).filter(({ stretch: { besides } }) => besides.gain_db < 0 && besides.gain_db > SILENT_DB && !besides.invert)

/** A stretch that is lowered, also where another take is heard and it would be silent anyway. */
const isLower = (gain_db: number) => (gain_db < 0 && gain_db > SILENT_DB) || gain_db < SILENCE_DB

/** Is a range of the recording lowered already? */
export const isLowered = (stretches: readonly Stretch[], [from, to]: readonly number[]) =>
  stretches.some((s) => isLower(s.besides.gain_db) && s.from < to! && from! < s.to)
