import { expect, it } from 'vitest'
import { heardParts, withPart, withTakes, type Plan } from './parts'

const plan = (...parts: [number, number, string][]): Plan => ({
  takes: ['a', 'b', 'c'],
  parts: parts.map(([from, to, take]) => ({ range: [from, to], take })),
})

// The same parts as the core's test of a comp.
it('hears one take at every moment, the last one chosen where parts overlap', () => {
  expect(heardParts(plan([100, 400, 'b'], [300, 500, 'c'], [350, 380, 'a']), [0, 1_000])).toEqual([
    { from: 0, to: 100, take: 'a' },
    { from: 100, to: 300, take: 'b' },
    { from: 300, to: 350, take: 'c' },
    { from: 350, to: 380, take: 'a' },
    { from: 380, to: 500, take: 'c' },
    { from: 500, to: 1_000, take: 'a' },
  ])
  expect(heardParts(plan([-50, 5_000, 'b']), [0, 10])).toEqual([{ from: 0, to: 10, take: 'b' }])
})

it('forgets what is covered, and takes that are gone', () => {
  const many = withPart(plan([100, 400, 'b'], [300, 500, 'c']), [50, 450], 'a')
  expect(many.parts).toEqual([
    { range: [300, 500], take: 'c' },
    { range: [50, 450], take: 'a' },
  ])
  expect(withTakes(many, ['a', 'b']).parts).toEqual([{ range: [50, 450], take: 'a' }])
})
