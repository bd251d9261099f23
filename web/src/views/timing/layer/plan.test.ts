import { expect, it } from 'vitest'
import { between } from './overlay'
import { freshPlan, onto, planKey, shownHits, withOwn, type Hit } from './plan'

const hit = (part: Partial<Hit> = {}): Hit => ({
  at: 1_000,
  source: 900,
  late: 99.6,
  verdict: 'solid',
  by: -100,
  rides: false,
  by_hand: false,
  ...part,
})

it('sets a hit onto its source in whole frames, and knows which have none', () => {
  expect(onto(hit())).toBe(-100)
  expect(onto(hit({ late: null, source: null }))).toBeNull()
})

it('keeps one move a hit', () => {
  const once = withOwn(freshPlan('s', 'l'), 1_000, 4)
  expect(withOwn(once, 1_000.4, 9).own).toEqual([{ at: 1_000, by: 9 }])
  expect(planKey(withOwn(once, 1_000, null))).toBe(planKey(freshPlan('s', 'l')))
})

it('shows hits where they are heard, and single ones as left where nothing moves them', () => {
  const single = { at: 5_000, late: null, source: null }
  const [a, b, c] = shownHits([hit(), hit({ ...single, by: 0 }), hit({ ...single, by: -90 })], 'l', 50, 90)
  expect([c!.left, c!.by]).toEqual([false, -90])
  expect([a!.event.at, a!.event.meant, a!.left]).toEqual([1_050, 1_050 - 99.6, false])
  expect([b!.event.at, b!.event.meant, b!.left]).toEqual([5_050, 4_960, true])
})

it('draws between samples, and nothing where one is on its way', () => {
  const samples = (n: number) => [0, 10, undefined][n]
  expect(between(samples, 0.25)).toBe(2.5)
  expect(between(samples, 1.5)).toBeUndefined()
})
