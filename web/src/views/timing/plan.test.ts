import { describe, expect, it } from 'vitest'
import {
  alikeAround,
  byHand,
  cleaned,
  freshPlan,
  freshSection,
  placesAlike,
  planKey,
  preview,
  sectionOf,
  withDrawn,
  without,
  withOwn,
  type Plan,
} from './plan'

const RATE = 48_000
const plan = (...sections: Partial<Plan['sections'][number]>[]): Plan => ({
  ...freshPlan(['a', 'b']),
  sections: sections.map((s) => ({ ...freshSection(), ...s })),
})
const event = (at: number, meant: number, level_db = 0) => ({ at, meant, level_db })

describe('what a control does before the server has answered', () => {
  // The same numbers as the example of `timing::moves::fate`.
  const asked = plan({ strength: 50, slack_ms: 10 / 48, farthest_ms: 1_000 / 48 })
  it.each([
    [1_100, -50, false],
    [1_008, 0, false],
    [2_100, 0, true],
  ])('%d goes by %d', (at, by, left) => {
    expect(preview(event(at, 1_000), asked, RATE)).toEqual({ by, left, soft: false })
  })

  it('leaves what lies in no section, and takes the last of several', () => {
    const two = plan({ range: [0, 5_000], strength: 100, slack_ms: 0 }, { range: [2_000, 9_000], strength: 10, slack_ms: 0 })
    expect(sectionOf(two, 3_000)).toBe(two.sections[1])
    expect(preview(event(1_000, 1_100), two, RATE).by).toBe(100)
    expect(preview(event(3_000, 3_100), two, RATE).by).toBe(10)
    expect(preview(event(20_000, 20_100), two, RATE).by).toBe(0)
  })

  it('leaves soft ones, and does as a hand says', () => {
    const soft = { ...asked, softest_db: -12 }
    expect(preview(event(1_100, 1_000, -15), soft, RATE)).toEqual({ by: 0, left: false, soft: true })
    const moved = withOwn(asked, 2_100, 77.4, RATE)
    expect(preview(event(2_100, 1_000), moved, RATE)).toEqual({ by: 77, left: false, soft: false })
  })
})

describe('strokes by hand', () => {
  it('moves one, moves it anew, and gives it back', () => {
    const once = withOwn(plan({}), 5_000, 40, RATE)
    const twice = withOwn(once, 5_100, -3, RATE)
    expect(twice.own).toEqual([{ at: 5_100, by: -3, pin: false }])
    expect([byHand(twice, 5_000, RATE), byHand(twice, 9_000, RATE)]).toEqual([-3, undefined])
    expect(withOwn(twice, 5_000, null, RATE).own).toEqual([])
  })

  it('moves what lies between two pins with them', () => {
    // The same numbers as the core's own test of pins.
    const one = withOwn(plan({}), 24_100, -20, RATE, true)
    const two = withOwn(withOwn(one, 66_100, -440, RATE, true), 48_100, 5, RATE)
    expect([12_100, 24_100, 48_100, 60_100, 72_100].map((at) => byHand(two, at, RATE))).toEqual([undefined, -20, 5, -380, undefined])
    // Moved anew it stays a pin.
    expect(withOwn(two, 24_100, 7, RATE).own![0]).toEqual({ at: 24_100, by: 7, pin: true })
  })

  it('draws a stroke, and leaves out drawn and found ones', () => {
    const stroke = { track: 'a', at: 5_000 }
    const drawn = withDrawn(plan({}), stroke, RATE)
    expect(withDrawn(drawn, { track: 'a', at: 5_050 }, RATE).added).toEqual([stroke])
    expect(without(drawn, [{ track: 'a', at: 5_010 }], RATE)).toMatchObject({ added: [], removed: [] })
    const gone = without(drawn, [{ track: 'b', at: 5_000 }], RATE)
    expect(gone.removed).toEqual([{ track: 'b', at: 5_000 }])
    // Drawn where one was left out, it is back.
    expect(withDrawn(gone, { track: 'b', at: 5_020 }, RATE)).toMatchObject({ added: [stroke], removed: [] })
  })

  it('finds the neighbours that came in early with one', () => {
    const early = (n: number, ms: number) => event(24_000 * n + 48 * ms, 24_000 * n)
    const events = [early(1, 2), early(2, -68), early(3, -72), early(4, -60), early(5, -1), early(6, -70)]
    expect(alikeAround(events, 2, RATE)).toEqual([1, 2, 3])
    expect(alikeAround(events, 5, RATE)).toEqual([5])
    expect(alikeAround(events, 0, RATE)).toEqual([0])
  })
})

it('knows when strokes must be looked for again, and when anything has changed', () => {
  expect(placesAlike(plan({ strength: 10 }), plan({ strength: 90, slack_ms: 1 }))).toBe(true)
  expect(placesAlike(plan({ grid: '1/8' }), plan({ grid: '1/16' }))).toBe(false)
  expect(placesAlike(plan({}), { ...plan({}), within_ms: 30 })).toBe(false)
  expect(placesAlike(plan({}), withDrawn(plan({}), { track: 'a', at: 1 }, RATE))).toBe(false)
  expect(planKey(plan({}))).not.toBe(planKey({ ...plan({}), softest_db: -12 }))
  // As the server gives it back: other words may be missing, or stand in another order.
  const { hits: _h, own: _o, added: _a, removed: _r, ...rest } = plan({})
  expect(planKey(rest as Plan)).toBe(planKey(plan({})))
})

it('forgets tracks that were removed', () => {
  const named = { ...withDrawn(plan({ onto: 'b' }), { track: 'b', at: 5 }, RATE), hits: ['b'] }
  const left = cleaned(named, (id) => id === 'a')
  expect(left).toMatchObject({ set: ['a'], hits: [], added: [], sections: [{ onto: null }] })
})
