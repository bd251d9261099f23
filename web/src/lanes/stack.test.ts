import { oneTempo } from '../shared/beats'
import { describe, expect, it } from 'vitest'
import type { Track } from '../api/client'
import { reach } from '../plot/surround'
import { freshDesk, usualLane } from '../session/deskRules'
import { gridOf, shownColumns } from './columns'
import { dropBefore, GROUP_HEIGHT, heightOf, LEAST_HEIGHT, stacked, type Lane } from './rows'
import { beatStep, ticksOf } from './ruler'
import { TileCache } from './tiles'
import { valueAt, valueText } from './values'
import { makeViewport } from './viewport'

const track = (id: string) => ({ id }) as Track
const lane = (id: string, part: Partial<Lane> = {}): Lane => ({
  id,
  name: id,
  startFrame: 0,
  frames: 100_000,
  offset: 0,
  invert: false,
  pieces: [{ from: 0, to: 100_000, start: 0, rate: 1, factor: 1 }],
  anchor: false,
  dim: false,
  ...part,
})
const group = { id: 'G', name: 'G', colour: 0, tracks: ['b'], folded: false, hidden: false, muted: false, soloed: false, together: true }

describe('stack', () => {
  const desk = { ...freshDesk(), lanes: { b: { ...usualLane(), height: 2 }, c: { ...usualLane(), height: 0.4 } } }
  const rows = stacked(
    [
      { kind: 'lane', track: track('a'), group: null },
      { kind: 'group', group, tracks: [track('b')] },
      { kind: 'lane', track: track('b'), group },
      { kind: 'lane', track: track('c'), group: null },
    ],
    (t) => lane(t.id),
    desk,
    40,
  )
  it('lays rows under one another by their own heights, none too low for its fields', () => {
    expect(rows.map((r) => [r.top, r.height])).toEqual([
      [0, 40],
      [40, GROUP_HEIGHT],
      [40 + GROUP_HEIGHT, 80],
      [120 + GROUP_HEIGHT, LEAST_HEIGHT],
    ])
    expect(heightOf(rows)).toBe(120 + GROUP_HEIGHT + LEAST_HEIGHT)
    expect(heightOf([])).toBe(0)
  })
  it('drops before the lane whose upper half is under the pointer, else at the end', () => {
    expect(dropBefore(rows, 5)).toBe('a')
    expect(dropBefore(rows, 30)).toBe('b')
    expect(dropBefore(rows, 110)).toBe('c')
    expect(dropBefore(rows, 999)).toBeNull()
  })
  it('gives columns in one order, each with its room', () => {
    expect(shownColumns(['level', 'nonsense', 'source'])).toEqual(['source', 'level'])
    expect(gridOf(['pan']).width).toBe(gridOf([]).width + 38 + 4)
  })
})

describe('ruler', () => {
  const m = { rateHz: 48_000, speedMS: 343.2, bpm: 120, beats: oneTempo(24_000) }
  const v = () => Object.assign(makeViewport(), { start: 0, framesPerPx: 100, width: 960, first: 0, last: 480_000 })
  it('counts bars and beats, clock and samples at round places', () => {
    // Two seconds in view: four beats at 120.
    expect(ticksOf(v(), m, 'bars', 960).map((t) => t.label)).toEqual(['1 | 1.0', '1 | 2.0', '1 | 3.0', '1 | 4.0', '2 | 1.0'])
    expect(ticksOf(v(), m, 'bars', 960)[4]!.frame).toBe(96_000)
    expect(ticksOf(v(), m, 'clock', 960)[1]!.label).toBe('00:00.500')
    expect(ticksOf(v(), m, 'samples', 960).every((t) => t.frame % 10_000 === 0 && t.label === String(t.frame))).toBe(true)
  })
  it('begins bar 1 where it was told to', () => {
    const waltz = { ...m, beats: oneTempo(24_000, 3, 48_000) }
    const ticks = ticksOf(v(), waltz, 'bars', 960)
    expect(ticks.map((t) => t.label)).toEqual(['0 | 2.0', '0 | 3.0', '1 | 1.0', '1 | 2.0', '1 | 3.0'])
    expect(ticks[2]!.frame).toBe(48_000)
  })
  it('halves beats when close and doubles bars when far, and never stands still', () => {
    const near = Object.assign(v(), { start: 1_000, framesPerPx: 10 })
    const labels = ticksOf(near, m, 'bars', 960).map((t) => t.label)
    expect(new Set(labels).size).toBe(labels.length)
    expect(beatStep(0.1, 8, 4)).toBe(1 / 64)
    expect(beatStep(8, 8, 4)).toBe(1)
    expect(beatStep(400, 8, 4)).toBe(64)
    // Of three beats there is no half: from the beat to the bar at once.
    expect([9, 17, 30].map((beats) => beatStep(beats, 8, 3))).toEqual([3, 3, 6])
    expect(beatStep(12, 8, 4)).toBe(2)
    const close = Object.assign(v(), { framesPerPx: 1 / 40 })
    expect(ticksOf(close, m, 'samples', 960).length).toBeLessThan(30)
  })
})

describe('hairline', () => {
  it('tells a sample where they stand apart, with sign and gain, else the peak of the pixel', async () => {
    const single = new Float32Array(8192)
    single[500] = 0.25
    const points = new Float32Array([-0.5, 0.1, 0.2, -0.01, 0.02, 0.01])
    const tiles = new TileCache(
      (l) => `/${l}/*`,
      () => undefined,
      (url) => Promise.resolve((url.includes('samples') ? single : points).buffer),
    )
    const turned = lane('t', { startFrame: 100, pieces: [{ from: 120, to: 100_121, start: 120.4, rate: 1, factor: -0.5 }] })
    expect(valueAt(tiles, turned, 620, 0.5)).toBeNull()
    await new Promise((done) => setTimeout(done, 5))
    // Session frame 620 is its own 500th: it starts at 100 and is carried 20 later.
    expect(valueAt(tiles, turned, 620, 0.5)).toEqual({ value: -0.125, peak: false })
    valueAt(tiles, lane('t'), 70, 64)
    await new Promise((done) => setTimeout(done, 5))
    expect(valueAt(tiles, lane('t'), 10, 64)).toEqual({ value: 0.5, peak: true })
    expect(valueAt(tiles, lane('t'), -10, 64)).toBeNull()
    expect(valueText({ value: -0.125, peak: false })).toBe('−0.1250 · −18.1 dBFS')
    expect(valueText({ value: 0.5, peak: true })).toBe('peak −6.0 dBFS')
    expect(valueText({ value: 0, peak: true })).toBe('silent')
  })
})

describe('level by direction', () => {
  it('reaches the rim for the loudest, half way for 18 dB less, and stays seen', () => {
    expect(reach(-20, -20)).toBe(1)
    expect(reach(-38, -20)).toBe(0.5)
    expect(reach(-90, -20)).toBe(0.04)
    expect(reach(null, -20)).toBe(0)
  })
})

describe('ruler of a session whose tempo changes', () => {
  it('counts on through another tempo, and begins a bar with another metre', () => {
    const slower = { ...oneTempo(24_000)[0]!, frame: 96_000, quarter: 4, frames_a_quarter: 48_000 }
    const waltz = { ...slower, frame: 288_000, quarter: 8, bar: 2, bar_quarter: 8, quarters_a_bar: 3 }
    const m = { rateHz: 48_000, speedMS: 343.2, bpm: 120, beats: [...oneTempo(24_000), slower, waltz] }
    const v = Object.assign(makeViewport(), { start: 0, framesPerPx: 500, width: 960, first: 0, last: 480_000 })
    const ticks = ticksOf(v, m, 'bars', 960)
    expect(ticks.map((t) => t.frame)).toEqual([0, 96_000, 192_000, 288_000, 432_000])
    expect(ticks.map((t) => t.label)).toEqual(['1 | 1.0', '2 | 1.0', '2 | 3.0', '3 | 1.0', '4 | 1.0'])
  })
})
