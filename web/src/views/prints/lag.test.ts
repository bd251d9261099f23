import { describe, expect, it } from 'vitest'
import { fakeSurface, INKS, texts } from '../../plot/fake'
import { oneTempo } from '../../shared/beats'
import type { Measure } from '../../shared/units'
import { frameAt, lagScale, paintLag, pointAt, spanOf, type Lag, type Shown } from './lag'

const measure: Measure = { rateHz: 48_000, speedMS: 343.2, bpm: 120, beats: oneTempo(24_000) }
const lag: Lag = {
  first_frame: 24_000,
  step_frames: 48_000,
  lag_frames: [480, 490, 500, 510],
  least: [470, 480, 490, 500],
  most: [490, 500, 510, 520],
  measured: [true, true, false, true],
} as Lag

function painted(part: Partial<Shown> = {}) {
  const { s, calls } = fakeSurface(600, 300)
  const view = { later_frames: 495, line_frames: 480, drift_ppm: 200 } as Shown['view']
  const shown: Shown = { view, lag, start: 0, unit: 'ms', measure, moving: 'print', way: 'recorded', at: null, heard: null, ...part }
  return { frame: paintLag(s, INKS, shown), calls }
}

describe('points of a lag', () => {
  it('lie a step apart, and the nearest is told of any frame', () => {
    expect([0, 3].map((n) => frameAt(lag, n))).toEqual([24_000, 168_000])
    expect([0, 30_000, 60_000, 9e9].map((f) => pointAt(lag, f))).toEqual([0, 0, 1, 3])
    expect(spanOf(lag)).toEqual({ from: 0, to: 192_000 })
  })

  it('are counted in samples where they are asked for', () => {
    expect(lagScale('samples', measure)).toEqual({ per: 1, name: 'samples' })
    expect(lagScale('distance', measure)).toEqual({ per: 48, name: 'ms' })
  })
})

describe('the lag along time', () => {
  it('is a band where it was measured, and dotted where it was filled in', () => {
    const { calls } = painted()
    expect(calls.filter((c) => c.name === 'fillRect')).toHaveLength(3)
    const dotted = calls.filter((c) => c.name === 'lineTo' && c.dashed)
    // To the point that was not measured, and from it.
    expect(dotted).toHaveLength(2)
    expect(dotted.every((c) => c.stroke === INKS.soft)).toBe(true)
  })

  it('has the line of the way that is carried: level for an offset, slanted for a drift, along the lag for the map', () => {
    const line = (way: Shown['way']) => {
      const { calls } = painted({ way })
      return calls.filter((c) => ['moveTo', 'lineTo'].includes(c.name) && c.stroke === INKS.land).map((c) => c.args as [number, number])
    }
    const [from, to] = line('offset') as [[number, number], [number, number]]
    expect(from[1]).toBe(to[1])
    const [begins, ends] = line('drift') as [[number, number], [number, number]]
    // 200 ppm of four seconds are 38.4 samples later.
    expect(ends[1]).toBeLessThan(begins[1])
    expect(line('map')).toHaveLength(4)
    expect(line('recorded')).toHaveLength(0)
  })

  it('says what is later than what', () => {
    expect(texts(painted().calls)).toContain('print later than its send, ms')
    const walking = painted({ moving: 'walker', unit: 'samples' })
    expect(texts(walking.calls)).toContain('second microphone later than the first, samples')
  })

  it('marks what is looked at with its point, and what is heard', () => {
    const none = painted().calls.filter((c) => c.name === 'arc').length
    expect(none).toBe(0)
    const { calls, frame } = painted({ at: 70_000, heard: 100_000 })
    const [x, y] = calls.find((c) => c.name === 'arc')!.args as [number, number]
    expect(x).toBeCloseTo(frame.left + (72_000 / 192_000) * (frame.right - frame.left), 6)
    expect(y).toBeGreaterThan(frame.top)
    expect(calls.some((c) => c.name === 'stroke' && c.stroke === INKS.land)).toBe(true)
  })
})
