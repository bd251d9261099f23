import { expect, it } from 'vitest'
import { afterMs, isWanted, keepNoGrid, offMs, type Shown } from './strokes'

const shown = (at: number, by: number): Shown => ({
  event: { at, meant: 48_000, by, rides: false, left: false, by_hand: false, level_db: 0, tracks: ['a'] },
  by,
  left: false,
  soft: false,
})

it('tells how far off a stroke is before and after, late when positive', () => {
  expect(offMs(shown(48_480, -480), 48_000)).toBeCloseTo(10)
  expect(afterMs(shown(48_480, -480), 48_000)).toBeCloseTo(0)
  expect(afterMs(shown(47_520, 240), 48_000)).toBeCloseTo(-5)
})

it('steps through all, the strongest, or those that are off, of one track or of any', () => {
  const loud = shown(48_000, 0)
  const soft: Shown = { ...shown(48_480, -480), event: { ...shown(48_480, -480).event, level_db: -12, tracks: ['b'] } }
  const far: Shown = { ...soft, by: 0, left: true }
  const each = (which: 'all' | 'strong' | 'off', only: string) => [loud, soft, far].map((s) => isWanted(s, which, only))
  expect(each('all', '')).toEqual([true, true, true])
  expect(each('strong', '')).toEqual([true, false, false])
  expect(each('off', '')).toEqual([false, true, true])
  expect(each('all', 'b')).toEqual([false, true, true])
  expect(each('strong', 'b')).toEqual([false, false, false])
})

it('tells strokes of another tempo from loose ones', () => {
  const played = (off: (n: number) => number) => Array.from({ length: 40 }, (_, n) => shown(48_000 + 48 * off(n), 0))
  // By the golden ratio, evenly over ±60 ms.
  expect(
    keepNoGrid(
      played((n) => 120 * ((n * 0.618) % 1) - 60),
      48_000,
    ),
  ).toBe(true)
  // Loose by 15 ms, with some far off.
  expect(
    keepNoGrid(
      played((n) => (n % 10 === 0 ? 55 : 30 * ((n * 0.618) % 1) - 15)),
      48_000,
    ),
  ).toBe(false)
  expect(
    keepNoGrid(
      played(() => 1),
      48_000,
    ),
  ).toBe(false)
  expect(keepNoGrid([], 48_000)).toBe(false)
})
