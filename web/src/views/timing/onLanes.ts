import type { Schemas, Track } from '../../api/client'
import type { LaneStroke } from '../../lanes/strokes'
import { placed } from '../../lanes/values'
import type { Stroke } from './plan'
import type { Shown } from './strokes'

type Found = Pick<Schemas['StrokesFound'], 'track'> & { hits: Pick<Schemas['Hit'], 'at' | 'level_db' | 'verdict'>[] }
type Carried = Pick<Track, 'id' | 'start_frame' | 'pieces' | 'correction' | 'path_frames'>

interface How {
  /** As they are carried now: the lanes show that. */
  track: (id: string) => Carried | undefined
  /** Softer ones are not moved, in dB. */
  softest: number
  drawn: readonly Stroke[]
}

/** A stroke of a track is that of an event when it is no further from it than this, in frames: a flam, or two microphones. */
const OF_EVENT = 4000

/** By how many frames a track is put later than it was recorded, apart from what a plan of timing moves. */
export const carriedFrames = (t: Pick<Track, 'correction' | 'path_frames'> | undefined) =>
  t ? t.correction.offset_frames + t.path_frames : 0

/** Every stroke on the lane of its own track, where it is heard now, with where it goes. */
export function laneStrokes(strokes: readonly Found[], shown: readonly Shown[], { track, softest, drawn }: How): LaneStroke[] {
  return strokes.flatMap((found) => {
    const t = track(found.track)
    if (!t) return []
    const heardAt = placed(t.pieces)
    const own = shown.filter((s) => s.event.tracks.includes(found.track))
    const byHand = drawn.filter((s) => s.track === found.track)
    let n = 0
    return found.hits.map((hit) => {
      const aligned = hit.at + carriedFrames(t)
      const apart = (k: number) => Math.abs(own[k]!.event.at - aligned)
      while (n + 1 < own.length && apart(n + 1) <= apart(n)) n++
      const event = own[n] && apart(n) <= OF_EVENT ? own[n] : undefined
      const soft = hit.level_db < softest || hit.verdict === 'undecided'
      const kind = soft ? 'soft' : byHand.some((s) => Math.abs(s.at - aligned) < 2) ? 'drawn' : event?.left ? 'left' : 'found'
      const by = event && !soft ? event.by : 0
      return { track: t.id, frame: heardAt(hit.at - t.start_frame) ?? aligned, to: aligned + by, kind } as const
    })
  })
}
