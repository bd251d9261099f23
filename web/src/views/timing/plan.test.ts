import { describe, expect, it } from 'vitest'
import { freshSection, placesAlike, planOf, preview, sectionOf, type Plan } from './plan'

const RATE = 48_000
const plan = (...sections: Partial<Plan['sections'][number]>[]): Plan => ({
  set: ['a', 'b'],
  hits: [],
  within_ms: 12,
  sections: sections.map((s) => ({ ...freshSection(), ...s })),
})

describe('what a control does before the server has answered', () => {
  // The same numbers as the example of `timing::moves::fate`.
  const asked = plan({ strength: 50, slack_ms: 10 / 48, farthest_ms: 1_000 / 48 })
  it.each([
    [1_100, -50, false],
    [1_008, 0, false],
    [2_100, 0, true],
  ])('%d goes by %d', (at, by, left) => {
    expect(preview({ at, meant: 1_000 }, asked, RATE)).toEqual({ by, left })
  })

  it('leaves what lies in no section, and takes the last of several', () => {
    const two = plan({ range: [0, 5_000], strength: 100, slack_ms: 0 }, { range: [2_000, 9_000], strength: 10, slack_ms: 0 })
    expect(sectionOf(two, 3_000)).toBe(two.sections[1])
    expect(preview({ at: 1_000, meant: 1_100 }, two, RATE).by).toBe(100)
    expect(preview({ at: 3_000, meant: 3_100 }, two, RATE).by).toBe(10)
    expect(preview({ at: 20_000, meant: 20_100 }, two, RATE).by).toBe(0)
  })
})

it('knows when strokes must be looked for again', () => {
  expect(placesAlike(plan({ strength: 10 }), plan({ strength: 90, slack_ms: 1 }))).toBe(true)
  expect(placesAlike(plan({ grid: '1/8' }), plan({ grid: '1/16' }))).toBe(false)
  expect(placesAlike(plan({}), { ...plan({}), within_ms: 30 })).toBe(false)
})

it('reads a plan from an address, and nothing else', () => {
  const p = plan({})
  expect(planOf(JSON.stringify(p))).toEqual(p)
  for (const text of [
    undefined,
    '',
    'no',
    '{}',
    '{"set":1,"hits":[],"within_ms":1,"sections":[]}',
    '{"set":[],"hits":[],"within_ms":1,"sections":[{}]}',
  ])
    expect(planOf(text)).toBeNull()
})
