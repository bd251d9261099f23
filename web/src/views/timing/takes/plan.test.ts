import { expect, it } from 'vitest'
import { afterMs, freshPlan, moveOf, planKey, reason, withMeant, withMove, type Flag } from './plan'

const plan = freshPlan('a', 'b')
const names = ['Morning', 'Evening'] as const
const flag = (part: Partial<Flag> = {}): Flag => ({
  take: null,
  range: [1_000, 5_000],
  count: 3,
  apart_ms: 70,
  off_ms: null,
  meets: [3_360, -3_360],
  ...part,
})

it('moves a passage of either take to the other, and leaves it again', () => {
  const first = withMove(plan, flag(), 0)
  expect(first.moves).toEqual([{ track: 'a', from: 1_000, to: 5_000, by: 3_360 }])
  const second = withMove(first, flag(), 1)
  expect(second.moves).toEqual([{ track: 'b', from: 1_000, to: 5_000, by: -3_360 }])
  expect(moveOf(second, flag())?.track).toBe('b')
  expect(moveOf(second, flag({ range: [9_000, 9_500] }))).toBeUndefined()
  expect(planKey(withMove(second, flag(), null))).toBe(planKey(plan))
  expect(planKey(second)).not.toBe(planKey(first))
})

it('marks a passage as meant, also with the takes the other way round', () => {
  const marked = withMeant([], plan, flag(), true)
  expect(marked).toEqual([{ takes: ['a', 'b'], range: [1_000, 5_000] }])
  expect(withMeant(marked, freshPlan('b', 'a'), flag({ range: [900, 1_200] }), false)).toEqual([])
  expect(withMeant(marked, freshPlan('a', 'c'), flag(), false)).toEqual(marked)
})

it('says how far apart they are once moved', () => {
  const chord = { at: [0, 0], apart_ms: 70, off_ms: null, by: [3_360, 0], verdict: 'solid' as const }
  expect(afterMs(chord, 48_000)).toBeCloseTo(0)
})

it('names who is off only where the beats tell', () => {
  expect(reason(flag({ take: 'b', off_ms: [2, -68] }), names, plan)).toBe('Evening is 68 ms early by the beats')
  expect(reason(flag(), names, plan)).toContain('Evening comes 70 ms late against Morning; which of them is off cannot be told')
  expect(reason(flag({ off_ms: [-40, 30] }), names, plan)).toContain('by the beats Morning is 40 ms early, Evening 30 ms late')
})
