import { describe, expect, it } from 'vitest'
import { barOf, holding, quarterOf, withChange } from './changes'

const four = { quarter: 0, bpm: 120, quarters_a_bar: 4 }
const slower = { quarter: 10, bpm: 90, quarters_a_bar: 4 }
const waltz = { quarter: 16, bpm: 90, quarters_a_bar: 3 }

describe('changes of tempo', () => {
  it('count bars, also through a change of metre', () => {
    const all = [four, slower, waltz]
    expect([0, 3, 4, 15, 16, 18, 19, 22].map((q) => barOf(all, q))).toEqual([1, 1, 2, 4, 5, 5, 6, 7])
    expect([1, 2, 5, 6, 7].map((b) => quarterOf(all, b))).toEqual([0, 4, 16, 19, 22])
  })
  it('are put in order, one at a quarter', () => {
    expect(withChange([four, waltz], slower)).toEqual([four, slower, waltz])
    expect(withChange([four, slower], { ...slower, bpm: 60 })).toEqual([four, { ...slower, bpm: 60 }])
    expect(holding([four, slower], 9)).toBe(four)
    expect(holding([four, slower], 10)).toBe(slower)
  })
})
