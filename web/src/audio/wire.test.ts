import { describe, expect, it } from 'vitest'
import { LevelHistory } from '../frame/levelHistory'
import { logTicks, step, ticks } from '../plot/ticks'
import { parseBlock } from './wire'

describe('blocks', () => {
  it('reads the server’s layout', () => {
    const frames = 3
    const data = new ArrayBuffer(88 + 16 + frames * 16)
    const v = new DataView(data)
    v.setUint32(0, 7, true)
    v.setUint32(4, frames, true)
    v.setFloat64(8, -480.5, true)
    ;[0.5, -1.5, 0, 0, 0.1, 0.2, 0.3, 0.4, Number.NaN, Number.NaN, Number.NaN, 1, 2, 3, 4, -1, -0.5, -40].forEach((x, i) =>
      v.setFloat32(16 + i * 4, x, true),
    )
    // Two tracks: their levels as corrected, then as recorded.
    v.setUint32(28, 2, true)
    ;[0.5, 0.25, 0.125, 0].forEach((x, i) => v.setFloat32(88 + i * 4, x, true))
    for (let i = 0; i < frames * 4; i++) v.setFloat32(104 + i * 4, i, true)
    const b = parseBlock(data)
    expect([b.generation, b.frames, b.start]).toEqual([7, 3, -480.5])
    expect([b.speed, ...b.matchedDb]).toEqual([0.5, -1.5, 0])
    expect([...b.levels.corrected, ...b.levels.recorded]).toEqual([0.5, 0.25, 0.125, 0])
    expect(b.corrected.correlation).toBeNaN()
    expect(b.recorded).toEqual({ peak: [1, 2], rms: [3, 4], correlation: -1, lowCorrelation: -0.5, nullDepthDb: -40 })
    expect(b.planes.map((p) => [...p])).toEqual([
      [0, 1, 2],
      [3, 4, 5],
      [6, 7, 8],
      [9, 10, 11],
    ])
    expect(() => parseBlock(data.slice(0, 92))).toThrow('cannot hold')
  })
})

describe('correlation strip', () => {
  it('keeps twenty seconds, each block once', () => {
    const h = new LevelHistory()
    for (let i = 0; i < 1000; i++) {
      h.push(i, 0.05, i < 999 ? -0.5 : 1)
      h.push(i, 0.05, -0.5)
    }
    expect(h.bars()).toHaveLength(80)
    expect(h.bars()[0]).toBeCloseTo(-0.5, 6)
  })
  it('tells a lasting opposition from a short dip', () => {
    const h = new LevelHistory()
    for (let i = 0; i < 40; i++) h.push(i, 0.25, i % 4 === 0 ? -0.8 : 0.5)
    expect(h.opposedS()).toBe(0)
    for (let i = 40; i < 54; i++) h.push(i, 0.25, -0.1)
    expect(h.opposedS()).toBe(3.5)
    h.push(60, 0.25, null)
    expect(h.opposedS()).toBe(0)
  })
  it('is empty where nothing was heard', () => {
    const h = new LevelHistory()
    h.push(0, 0.3, null)
    expect(h.bars().every((b) => b === null)).toBe(true)
  })
})

describe('ticks', () => {
  it('are round', () => {
    expect(step(10, 5)).toBe(2)
    expect(ticks(-1, 1, 4)).toEqual([-1, -0.5, -0, 0.5, 1].map((x) => x + 0))
    expect(logTicks(25, 20000)).toEqual([50, 100, 200, 500, 1000, 2000, 5000, 10000, 20000])
    expect(step(0, 5)).toBe(1)
  })
})
