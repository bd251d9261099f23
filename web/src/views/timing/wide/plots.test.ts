import { expect, it } from 'vitest'
import { fakeSurface, INKS, rects, texts } from '../../../plot/fake'
import type { Found } from './plan'
import { paintDrifts, paintMono } from './plots'

const found: Found = {
  first: 0,
  step_frames: 480,
  copies: [
    { later_ms: [0, 5, 10], cents: [0, 0, 0] },
    { later_ms: [0, -5, -10], cents: [0, 0, 0] },
  ],
  bands: [],
  thinnest: null,
  fine: true,
  made: [],
  fits: false,
}

it('draws each copy along time, those on the right dashed, later ones higher', () => {
  const { s, calls } = fakeSurface(500, 200)
  paintDrifts(s, INKS, found, 48_000)
  const lines = (ink: string) => calls.filter((c) => c.name === 'lineTo' && c.stroke === ink).map((c) => c.args as [number, number])
  const [left, right] = [lines(INKS.depth), lines(INKS.land)]
  expect([left.length, right.length]).toEqual([3, 3])
  expect(left[2]![1]).toBeLessThan(left[0]![1])
  expect(right[2]![1]).toBeGreaterThan(right[0]![1])
  expect(left.map((p) => p[0])).toEqual(right.map((p) => p[0]))
  expect(calls.filter((c) => c.name === 'lineTo' && c.dashed).every((c) => c.stroke === INKS.land)).toBe(true)
})

it('marks bands that lose more than 3 dB, and draws faint ones fainter', () => {
  const band = (hz: number, gain_db: number, level_db = -10) => ({ hz, gain_db, level_db })
  const { s, calls } = fakeSurface(500, 200)
  paintMono(s, INKS, [band(50, 2.5), band(63, -2.9), band(80, -3.1), band(100, 0, -50)])
  const bars = rects(calls)
  expect(bars.map((b) => b.fill)).toEqual([INKS.depth, INKS.depth, INKS.caution, INKS.depth])
  expect(bars.map((b) => b.alpha)).toEqual([1, 1, 1, 0.4])
  // Gains go up from the line that losses go down from.
  const [up, down] = [bars[0]!.box, bars[2]!.box]
  expect(up[1] + up[3]).toBeCloseTo(down[1], 6)
  expect(bars[3]!.box[3]).toBe(1)
  expect(texts(calls)).toEqual(expect.arrayContaining(['50', '100', 'dB against unrelated copies']))
})
