import { expect, it } from 'vitest'
import { changeOf, freshPlan, keyName, keyOf, planKey, toNearest, told, withNote, type Sung } from './plan'

const note = (part: Partial<Sung> = {}): Sung => ({ from: 48_000.4, to: 72_000.2, key: 60.31, verdict: 'solid', ...part })

it('names keys, C4 being key 60, and how far off them a pitch is', () => {
  expect([60, 69, 21, 0, 61.4, 59.6].map(keyName)).toEqual(['C4', 'A4', 'A0', 'C-1', 'C♯4', 'C4'])
  expect([told(60), told(60.31), told(68.9)]).toEqual(['C4', 'C4 +31 cents', 'A4 \u221210 cents'])
  expect(keyOf(440)).toBe(69)
  expect(keyOf(261.6256)).toBeCloseTo(60, 4)
})

it('a note changes, a later change keeps the rest, and what changes nothing goes', () => {
  const up = withNote(freshPlan('v'), note(), { cents: -31 })
  expect(up.notes).toEqual([{ from: 48_000, to: 72_002, cents: -31, drift: 100, vibrato: 100 }])
  const still = withNote(up, note(), { vibrato: 40 })
  expect(changeOf(still, note())).toEqual({ from: 48_000, to: 72_002, cents: -31, drift: 100, vibrato: 40 })
  expect(planKey(still)).not.toBe(planKey(up))
  const back = withNote(withNote(still, note(), { cents: 0 }), note(), { vibrato: 100 })
  expect(back.notes).toEqual([])
})

it('a note found a little longer is the same, and its neighbour is another', () => {
  const plan = withNote(freshPlan('v'), note(), { cents: 50 })
  expect(changeOf(plan, note({ from: 46_000, to: 73_000 }))).toBeDefined()
  expect(changeOf(plan, note({ from: 71_000, to: 90_000 }))).toBeUndefined()
  expect(withNote(plan, note({ from: 80_000, to: 90_000 }), { cents: 10 }).notes).toHaveLength(2)
})

it('goes to the nearest key to a tenth of a cent', () => {
  expect([toNearest(note()), toNearest(note({ key: 59.876 }))]).toEqual([-31, 12.4])
})
