import { expect, it } from 'vitest'
import { laneStrokes } from './onLanes'
import type { Shown } from './strokes'

const shown = (at: number, by: number, tracks: string[], left = false): Shown => ({
  event: { at, meant: at + by, by, rides: false, left, by_hand: false, level_db: 0, tracks },
  by,
  left,
  soft: false,
})
const hit = (at: number, level_db = 0, verdict: 'solid' | 'undecided' = 'solid') => ({ at, level_db, verdict })
const piece = (from: number, to: number, start: number) => ({ from, to, start, rate: 1, factor: 1 })
/** A track from frame 100 on, put later by an offset, whole or in pieces. */
const track = (id: string, offset_frames = 0, pieces = [piece(100 + offset_frames, 90_000, 100 + offset_frames)]) => ({
  id,
  start_frame: 100,
  pieces,
  correction: { offset_frames, invert: false, gain_db: 0 },
  path_frames: 0,
})
const how = { track: (id: string) => track(id), softest: -30, drawn: [] }

it('puts every stroke on its own lane, with where it goes', () => {
  const strokes = [
    { track: 'a', hits: [hit(1_000), hit(9_000), hit(20_000, -12), hit(30_000, 0, 'undecided')] },
    { track: 'b', hits: [hit(1_040), hit(40_000)] },
  ]
  const all = [shown(1_000, -100, ['a', 'b']), shown(9_000, 0, ['a'], true), shown(40_000, 7, ['b'])]
  const put = laneStrokes(strokes, all, { ...how, softest: -10, drawn: [{ track: 'b', at: 40_000 }] })
  expect(put).toEqual([
    { track: 'a', frame: 1_000, to: 900, kind: 'found' },
    { track: 'a', frame: 9_000, to: 9_000, kind: 'left' },
    { track: 'a', frame: 20_000, to: 20_000, kind: 'soft' },
    { track: 'a', frame: 30_000, to: 30_000, kind: 'soft' },
    // Two microphones of one event keep how they stand to one another.
    { track: 'b', frame: 1_040, to: 940, kind: 'found' },
    { track: 'b', frame: 40_000, to: 40_007, kind: 'drawn' },
  ])
})

it('shows them where they are heard: with the offset, and cut by whatever plan', () => {
  const strokes = [{ track: 'a', hits: [hit(1_000), hit(20_000)] }]
  const events = [shown(1_500, 60, ['a']), shown(20_500, -40, ['a'])]
  const whole = laneStrokes(strokes, events, { ...how, track: (id) => track(id, 500) })
  expect(whole.map((s) => [s.frame, s.to])).toEqual([
    [1_500, 1_560],
    [20_500, 20_460],
  ])
  // Moved like this, the first lies where it goes; the second was moved by another plan, and has still to go.
  const pieces = [piece(660, 10_000, 660), piece(10_000, 90_000, 530)]
  const cut = laneStrokes(strokes, events, { ...how, track: (id) => track(id, 500, pieces) })
  expect(cut.map((s) => [s.frame, s.to])).toEqual([
    [1_560, 1_560],
    [20_430, 20_460],
  ])
  expect(laneStrokes(strokes, events, { ...how, track: () => undefined })).toEqual([])
})
