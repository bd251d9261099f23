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
const how = { late: () => 0, softest: -30, drawn: [], moved: false }

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

it('shows them where they are heard: with the offset, and once moved where they went', () => {
  const strokes = [{ track: 'a', hits: [hit(1_000)] }]
  const put = laneStrokes(strokes, [shown(1_500, 60, ['a'])], { ...how, late: () => 500, moved: true })
  expect(put).toEqual([{ track: 'a', frame: 1_560, to: 1_560, kind: 'found' }])
})
