import { expect, it } from 'vitest'
import { afterMs, offMs, type Shown } from './strokes'

const shown = (at: number, by: number): Shown => ({
  event: { at, meant: 48_000, by, rides: false, left: false, tracks: ['a'] },
  by,
  left: false,
})

it('tells how far off a stroke is before and after, late when positive', () => {
  expect(offMs(shown(48_480, -480), 48_000)).toBeCloseTo(10)
  expect(afterMs(shown(48_480, -480), 48_000)).toBeCloseTo(0)
  expect(afterMs(shown(47_520, 240), 48_000)).toBeCloseTo(-5)
})
