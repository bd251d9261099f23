import { expect, it } from 'vitest'
import { edgeAt, frameAt, viewOf, weightAt } from './joins'
import type { Passage } from './plan'

const passage: Passage = {
  tracks: ['a'],
  range: [0, 8_000],
  at: 100_000,
  head: 1_000,
  tail: 1_000,
  fade_in: 1_000,
  fade_out: 2_000,
  moved: false,
}

it('shows the passage with what is around it', () => {
  expect(viewOf(passage, 160)).toEqual({ start: 96_000, framesPerPx: 100 })
  expect(frameAt(passage, 160, 30)).toBe(99_000)
})

it('takes hold of the edge that is meant', () => {
  // Where the passage begins as music its fade has just ended: two edges lie over one another.
  expect(edgeAt(passage, 160, 40, 'to')).toBe('faded-in')
  expect(edgeAt(passage, 160, 40, 'at')).toBe('at')
  expect(edgeAt(passage, 160, 27, 'at')).toBe('from')
  expect(edgeAt(passage, 160, 112, 'at')).toBe('fading-out')
  expect(edgeAt(passage, 160, 70, 'at')).toBe(null)
})

it('rises and falls as it is played', () => {
  expect([98_999, 99_000, 99_500, 100_000, 107_000, 108_000, 109_000].map((f) => Number(weightAt(passage, f).toFixed(3)))).toEqual([
    0, 0, 0.5, 1, 1, 0.5, 0,
  ])
  expect(weightAt({ ...passage, fade_in: 0 }, 99_000)).toBe(1)
})
