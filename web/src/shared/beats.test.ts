import { expect, it } from 'vitest'
import { barsBeats, frameOfBar, nearestBeat, oneTempo, type Steady } from './beats'

// 120 quarters a minute at 48 kHz; from bar 3 on 60, in three.
const beats: Steady[] = [
  ...oneTempo(24_000),
  { frame: 192_000, quarter: 8, frames_a_quarter: 48_000, bar: 2, bar_quarter: 8, quarters_a_bar: 3 },
]

it('finds the bar or the beat that begins nearest', () => {
  expect(nearestBeat(100_000, beats, 'bar')).toBe(96_000)
  expect(nearestBeat(110_000, beats, 'beat')).toBe(120_000)
  expect(nearestBeat(-5_000, beats, 'bar')).toBe(0)
  expect(nearestBeat(290_000, beats, 'bar')).toBe(336_000)
  expect(nearestBeat(290_000, beats, 'beat')).toBe(288_000)
  // Nothing of a part lies beyond its end.
  const early = [beats[0]!, { ...beats[1]!, frame: 180_000 }]
  expect(nearestBeat(170_000, early, 'bar')).toBe(180_000)
})

it('reads a bar, and one of its beats', () => {
  expect(frameOfBar('2', beats)).toBe(96_000)
  expect(frameOfBar(' 2 | 3', beats)).toBe(144_000)
  expect(frameOfBar('4.2', beats)).toBe(384_000)
  expect(['', 'soon', '2 | 0', '2 | x', '-1'].map((text) => frameOfBar(text, beats))).toEqual([null, null, null, null, null])
})

it('writes what it reads', () => {
  for (const text of ['1 | 1', '2 | 4', '3 | 1', '5 | 3']) expect(barsBeats(frameOfBar(text, beats)!, beats, 0)).toBe(text)
})
