import type { Schemas } from '../../../api/client'
import { nearestBeat, type Steady } from '../../../shared/beats'

export type Plan = Schemas['PassagesOf']
export type Passage = Schemas['PassageOf']
export type Snap = 'bar' | 'beat' | 'none'

/** Heard before and after a passage, and faded over, unless one says otherwise, in seconds: the music itself sounds in full. */
const USUAL_FADE_S = 0.01
/** Shorter than this, in seconds, is no passage. */
export const SHORTEST_S = 0.05

/** What can be dragged: where it begins and ends to sound, where its fades end, and the whole of it. */
export type Edge = 'from' | 'faded-in' | 'at' | 'fading-out' | 'to'

export const EDGES: { edge: Edge; title: string }[] = [
  { edge: 'from', title: 'comes in' },
  { edge: 'faded-in', title: 'is in full' },
  { edge: 'at', title: 'begins' },
  { edge: 'fading-out', title: 'begins to go' },
  { edge: 'to', title: 'has gone' },
]

const head = (p: Passage) => p.head ?? 0
const tail = (p: Passage) => p.tail ?? 0
const lasts = (p: Passage) => p.range[1]! - p.range[0]!

/** Where an edge lies where the passage is placed, in session frames. */
export function placeOf(p: Passage, edge: Edge): number {
  const [from, to] = [p.at - head(p), p.at + lasts(p) + tail(p)]
  return { from, 'faded-in': from + p.fade_in, at: p.at, 'fading-out': to - p.fade_out, to }[edge]
}

/** A passage of what the loop marks, placed where it stands. */
export function ofLoop(tracks: string[], range: readonly [number, number], rateHz: number): Passage {
  const fade = Math.round(USUAL_FADE_S * rateHz)
  return { tracks, range: [...range], at: range[0], head: fade, tail: fade, fade_in: fade, fade_out: fade, moved: false }
}

/** A place, on the bar or beat nearest to it. */
export const snapped = (frame: number, beats: readonly Steady[], snap: Snap) =>
  snap === 'none' ? Math.round(frame) : nearestBeat(frame, beats, snap)

/** With an edge elsewhere. What is heard before and after the music is never less than nothing; fades stay within the passage. */
export function withEdge(p: Passage, edge: Edge, frame: number): Passage {
  const [to, whole] = [Math.round(frame), head(p) + lasts(p) + tail(p)]
  const within = (value: number, most: number) => Math.max(0, Math.min(most, value))
  switch (edge) {
    case 'at':
      return { ...p, at: to }
    case 'from':
      return faded({ ...p, head: Math.max(0, p.at - to) })
    case 'to':
      return faded({ ...p, tail: Math.max(0, to - p.at - lasts(p)) })
    case 'faded-in':
      return { ...p, fade_in: within(to - placeOf(p, 'from'), whole - p.fade_out) }
    case 'fading-out':
      return { ...p, fade_out: within(placeOf(p, 'to') - to, whole - p.fade_in) }
  }
}

/** With fades that fit. */
function faded(p: Passage): Passage {
  const whole = head(p) + lasts(p) + tail(p)
  const fade_in = Math.min(p.fade_in, whole)
  return { ...p, fade_in, fade_out: Math.min(p.fade_out, whole - fade_in) }
}

/** The same once more, right after where it is placed. */
export function again(p: Passage, beats: readonly Steady[], snap: Snap): Passage {
  const ends = p.at + lasts(p)
  const next = snapped(ends, beats, snap)
  return { ...p, at: next > p.at ? next : ends, moved: false }
}

/** Without tracks that are gone, and without passages of which no track is left. */
export function ofKnown(plan: Plan, known: (id: string) => boolean): Plan {
  const some = (plan.passages ?? []).map((p) => ({ ...p, tracks: p.tracks.filter(known) }))
  return { passages: some.filter((p) => p.tracks.length > 0) }
}
