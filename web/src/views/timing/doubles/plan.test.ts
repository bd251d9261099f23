import { expect, it } from 'vitest'
import {
  freshPlan,
  goesAt,
  pinOf,
  planKey,
  sameCloseness,
  shades,
  spread,
  threads,
  withFollower,
  withLead,
  withPin,
  withTakes,
  PRESETS,
  type Take,
} from './plan'

const plan = freshPlan('lead', ['lead', 'a', 'b'])
const take = (part: Partial<Take> = {}): Take => ({
  take: 'a',
  knots: [
    { lead: 48_000, take: 50_400, alike: 0.6, verdict: 'solid' },
    { lead: 60_000, take: 61_000, alike: 0, verdict: 'undecided' },
    { lead: 96_000, take: 94_080, alike: 0.4, verdict: 'likely' },
  ],
  marked: [{ lead: [70_000, 80_000], take: [71_000, 81_000], why: 'missing' }],
  verdict: 'solid',
  reason: '',
  goes: [
    [50_400, 48_240],
    [94_080, 95_760],
  ],
  ratio: 1.1,
  refused: null,
  made: [],
  fits: false,
  ...part,
})

it('a lead does not follow itself, and takes that stay keep their pins', () => {
  expect(plan.takes.map((t) => t.take)).toEqual(['a', 'b'])
  const pinned = withFollower(plan, 'b', withPin(plan.takes[1]!, take().knots[0]!, 0))
  expect(withTakes(pinned, ['b', 'c', 'lead']).takes.map((t) => [t.take, t.pins?.length])).toEqual([
    ['b', 1],
    ['c', 0],
  ])
  expect(withLead(pinned, 'a').takes).toEqual([{ take: 'b', protected: [], pins: [] }])
  expect(planKey(pinned)).not.toBe(planKey(plan))
})

it('a moment is pinned where it lands, and one pin a moment', () => {
  const knot = take().knots[0]!
  const once = { ...plan.takes[0]!, ...withPin(plan.takes[0]!, knot, 0) }
  const twice = { ...once, ...withPin(once, { ...knot, take: knot.take + 10 }, 480) }
  expect(twice.pins).toEqual([{ lead: 48_480, take: 50_410 }])
  expect(pinOf(twice, knot)).toBeDefined()
  expect(withPin(twice, knot, null).pins).toEqual([])
})

it('says how far off a moment is as it is and as planned, and leaves out what was not compared', () => {
  const drawn = threads(take(), plan.takes[0]!, plan, 48_000)
  expect(drawn.map((t) => [t.before, Math.round(t.after * 10) / 10])).toEqual([
    [50, 5],
    [-40, -5],
  ])
  // 85 % of what is beyond 8 ms goes: the one would lie at 14.3 ms, the other at 12.8 before.
  expect(drawn.map((t) => t.off)).toEqual([true, true])
  const there = take({
    goes: [
      [50_400, 48_686.4],
      [94_080, 95_385.6],
    ],
  })
  expect(threads(there, plan.takes[0]!, plan, 48_000).map((t) => t.off)).toEqual([false, false])
  expect(spread(drawn.map((t) => t.before))).toEqual({ median: 50, most: 50 })
  expect(spread([])).toBeNull()
})

it('goes straight between the points and keeps the lag beyond them', () => {
  const goes = [
    [100, 110],
    [200, 240],
    [300, 330],
  ]
  expect([50, 100, 150, 250, 300, 400].map((at) => goesAt(goes, at))).toEqual([60, 110, 175, 285, 330, 430])
  expect(goesAt([], 70)).toBe(70)
})

it('shades what is marked and what keeps its length', () => {
  const own = { ...plan.takes[0]!, protected: [[10, 20]] }
  expect(shades(take(), own)).toEqual([
    { from: 10, to: 20, settled: true },
    { from: 70_000, to: 80_000, settled: false },
  ])
})

it('names a closeness only where all its numbers fit', () => {
  expect(sameCloseness(PRESETS[1]!, plan)).toBe(true)
  expect(sameCloseness({ ...PRESETS[1]!, ratio: 1.4 }, plan)).toBe(false)
})
