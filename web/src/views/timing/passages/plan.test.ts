import { expect, it } from 'vitest'
import { oneTempo } from '../../../shared/beats'
import { again, EDGES, ofKnown, ofLoop, placeOf, snapped, withEdge, type Passage } from './plan'

const passage = (over: Partial<Passage> = {}): Passage => ({
  tracks: ['a'],
  range: [48_000, 96_000],
  at: 144_000,
  head: 4_800,
  tail: 2_400,
  fade_in: 480,
  fade_out: 960,
  moved: false,
  ...over,
})
const beats = oneTempo(24_000)

it('is placed where it begins as music, with what is heard before and after', () => {
  expect(EDGES.map(({ edge }) => placeOf(passage(), edge))).toEqual([139_200, 139_680, 144_000, 193_440, 194_400])
  const loop = ofLoop(['a'], [48_000, 96_000], 48_000)
  expect([loop.at, loop.head, loop.tail, loop.fade_in, loop.fade_out]).toEqual([48_000, 480, 480, 480, 480])
})

it('begins on the nearest bar or beat, or anywhere', () => {
  expect((['bar', 'beat', 'none'] as const).map((s) => snapped(110_000.4, beats, s))).toEqual([96_000, 120_000, 110_000])
})

it('has edges that are dragged, and fades that stay within it', () => {
  expect(withEdge(passage(), 'from', 140_000).head).toBe(4_000)
  expect(withEdge(passage(), 'from', 150_000).head).toBe(0)
  expect(withEdge(passage(), 'to', 100_000).tail).toBe(0)
  expect(withEdge(passage(), 'faded-in', 139_900).fade_in).toBe(700)
  expect(withEdge(passage(), 'faded-in', 0).fade_in).toBe(0)
  expect(withEdge(passage(), 'faded-in', 900_000).fade_in).toBe(4_800 + 48_000 + 2_400 - 960)
  expect(withEdge(passage(), 'fading-out', 900_000).fade_out).toBe(0)
  expect(withEdge(passage(), 'at', 96_000.2).at).toBe(96_000)
  const short = withEdge(passage({ range: [0, 100], at: 144_000, head: 1_000, tail: 0, fade_in: 900, fade_out: 200 }), 'from', 144_000)
  expect([short.fade_in, short.fade_out]).toEqual([100, 0])
})

it('comes again after itself', () => {
  expect(again(passage({ moved: true }), beats, 'bar')).toEqual(passage({ at: 192_000 }))
  expect(again(passage({ range: [0, 10_000], at: 96_000 }), beats, 'bar').at).toBe(106_000)
})

it('forgets tracks that are gone', () => {
  const both = { passages: [passage(), passage({ tracks: ['b', 'c'] })] }
  expect(ofKnown(both, (id) => id === 'c').passages).toEqual([passage({ tracks: ['c'] })])
})
