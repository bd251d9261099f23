import { describe, expect, it, vi } from 'vitest'
import { EIGHTH, eighths, framesAPoint, levelFor, SINGLE, TileCache } from './tiles'
import { makeViewport, panBy, resized, roomBefore, showAll, showHit, xOf, zoomAt } from './viewport'

describe('viewport', () => {
  const made = () => Object.assign(makeViewport(), { width: 1000, first: 0, last: 4_800_000 })
  it('shows everything', () => {
    const v = made()
    showAll(v)
    expect(xOf(v, 0)).toBeGreaterThan(0)
    expect(xOf(v, 4_800_000)).toBeLessThan(1000)
  })
  it('zooms about the pointer, down to single samples and no further', () => {
    const v = made()
    showAll(v)
    const under = v.start + 300 * v.framesPerPx
    for (let i = 0; i < 200; i++) {
      zoomAt(v, 300, 0.8)
      expect(v.start + 300 * v.framesPerPx).toBeCloseTo(under, 2)
    }
    expect(v.framesPerPx).toBeCloseTo(1 / 40, 6)
    for (let i = 0; i < 200; i++) zoomAt(v, 300, 1.3)
    expect(v.framesPerPx * 1000).toBeLessThan(4_800_000 * 1.03)
  })
  it('goes on to show everything in another width, and leaves alone what is closer', () => {
    const v = made()
    showAll(v)
    resized(v, 1600)
    expect(xOf(v, 4_800_000)).toBeGreaterThan(1500)
    zoomAt(v, 300, 0.5)
    const [start, framesPerPx] = [v.start, v.framesPerPx]
    resized(v, 1200)
    expect([v.start, v.framesPerPx]).toEqual([start, framesPerPx])
    // The same width again moves nothing.
    showAll(v)
    panBy(v, 200)
    const panned = v.start
    resized(v, 1200)
    expect(v.start).toBe(panned)
  })
  it('does not lose the session', () => {
    const v = made()
    showAll(v)
    panBy(v, 1e9)
    expect(xOf(v, 4_800_000)).toBeGreaterThan(0)
    panBy(v, -1e9)
    expect(xOf(v, 0)).toBeLessThan(1000)
  })
  it('gives a hit room before the attack', () => {
    const v = made()
    // Half a period of 60 Hz is 400 frames at 48 kHz, whatever else has to be seen.
    const room = roomBefore(60, 48_000)
    expect(room).toBe(400)
    for (const reach of [0, 5_000]) {
      showHit(v, 50_000, room, reach)
      expect(v.start).toBeCloseTo(49_600, 6)
      expect(v.framesPerPx * 1000).toBeCloseTo(400 + Math.max(1_600, reach), 6)
    }
    expect(roomBefore(null, 48_000)).toBe(400)
  })
})

describe('tiles', () => {
  it('chooses points no wider than a pixel', () => {
    for (const perPx of [3, 8, 24, 64, 100, 300, 5000, 90000]) expect(framesAPoint(levelFor(perPx))).toBeLessThanOrEqual(perPx)
    expect(levelFor(3)).toBe(SINGLE)
    expect(levelFor(24)).toBe(EIGHTH)
    expect(levelFor(90000)).toBe(5)
  })
  it('makes eighths that lose no peak', () => {
    const single = Float32Array.from({ length: 8192 + 3 }, (_, i) => Math.sin(i * i))
    const made = eighths(single.subarray(0, 19))
    expect(made).toHaveLength(9)
    expect(made[0]).toBe(Math.min(...single.subarray(0, 8)))
    expect(made[4]).toBe(Math.max(...single.subarray(8, 16)))
    expect(made[8]).toBeCloseTo(Math.sqrt([16, 17, 18].reduce((n, i) => n + single[i]! ** 2, 0) / 3), 6)
  })
  it('asks once, and again after a failure', async () => {
    vi.useFakeTimers()
    const arrived = vi.fn()
    let fail = true
    const fetcher = vi.fn(() => (fail ? Promise.reject(new Error('409')) : Promise.resolve(new Float32Array([1, 2, 3]).buffer)))
    const cache = new TileCache((t) => `/${t}/*`, arrived, fetcher)
    expect(cache.get('t', 0, 0)).toBeUndefined()
    expect(cache.get('t', 0, 0)).toBeUndefined()
    await vi.advanceTimersByTimeAsync(10)
    expect(fetcher).toHaveBeenCalledTimes(1)
    fail = false
    await vi.advanceTimersByTimeAsync(4000)
    cache.get('t', 0, 0)
    await vi.advanceTimersByTimeAsync(10)
    expect(fetcher).toHaveBeenCalledTimes(2)
    expect([...(cache.get('t', 0, 0) ?? [])]).toEqual([1, 2, 3])
    expect(arrived).toHaveBeenCalledTimes(1)
    vi.useRealTimers()
  })
})
