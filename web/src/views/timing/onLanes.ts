import type { Schemas } from '../../api/client'
import type { LaneStroke } from '../../lanes/strokes'
import type { Stroke } from './plan'
import type { Shown } from './strokes'

type Found = Pick<Schemas['StrokesFound'], 'track'> & { hits: Pick<Schemas['Hit'], 'at' | 'level_db' | 'verdict'>[] }

interface How {
  /** By how many frames a track is put later than it was recorded. */
  late: (track: string) => number
  /** Softer ones are not moved, in dB. */
  softest: number
  drawn: readonly Stroke[]
  /** The lanes show the tracks as they are moved. */
  moved: boolean
}

/** A stroke of a track is that of an event when it is no further from it than this, in frames: a flam, or two microphones. */
const OF_EVENT = 4000

/** Every stroke on the lane of its own track, with where it goes. */
export function laneStrokes(strokes: readonly Found[], shown: readonly Shown[], how: How): LaneStroke[] {
  return strokes.flatMap(({ track, hits }) => {
    const own = shown.filter((s) => s.event.tracks.includes(track))
    const drawn = how.drawn.filter((s) => s.track === track)
    let n = 0
    return hits.map((hit) => {
      const frame = hit.at + how.late(track)
      const apart = (k: number) => Math.abs(own[k]!.event.at - frame)
      while (n + 1 < own.length && apart(n + 1) <= apart(n)) n++
      const event = own[n] && apart(n) <= OF_EVENT ? own[n] : undefined
      const soft = hit.level_db < how.softest || hit.verdict === 'undecided'
      const by = event && !soft ? event.by : 0
      const at = how.moved ? frame + by : frame
      const kind = soft ? 'soft' : drawn.some((s) => Math.abs(s.at - frame) < 2) ? 'drawn' : event?.left ? 'left' : 'found'
      return { track, frame: at, to: frame + by, kind } as const
    })
  })
}
