import { describe, expect, it } from 'vitest'
import { barsBeats, bytes, clock, dbfs, distance, fixed, note, parseOffset, samples, span } from './units'

const m = { rateHz: 48000, speedMS: 343.2, bpm: 120 }

describe('quantities as text', () => {
  it('writes spans in every unit', () => {
    expect(span(111, 'ms', m)).toBe('2.31 ms')
    expect(span(-111, 'samples', m)).toBe('−111 samples')
    expect(span(1, 'us', m)).toBe('21 µs')
    expect(span(111, 'distance', m)).toBe('79.4 cm')
    expect(span(292.66, 'distance', m)).toBe('2.09 m')
    // 1/32 at 120 BPM is 62.5 ms (arithmetic).
    expect(span(3000, 'note', m)).toBe('1/32')
  })
  it('never writes minus nothing', () => {
    expect(fixed(-0.0001, 2)).toBe('0.00')
    expect(samples(-0.004)).toBe('0.00')
    expect(distance(-0.5)).toBe('−50.0 cm')
    expect(note(-0.125)).toBe('−1/32')
  })
  it('writes positions', () => {
    expect(clock(48000 * 3661 + 24, 48000)).toBe('01:01:01.001')
    expect(clock(-48, 48000)).toBe('−00:00:00.001')
    expect(barsBeats(0, m)).toBe('1 | 1.0')
    expect(barsBeats(48000 * 2, m)).toBe('2 | 1.0')
    expect(barsBeats(48000 * 2 + 36000, m)).toBe('2 | 2.5')
  })
  it('reads offsets with any unit', () => {
    expect(parseOffset('-110', m)).toBe(-110)
    expect(parseOffset('−2,5 ms', m)).toBe(-120)
    expect(parseOffset('343.2 cm', m)).toBeCloseTo(480, 9)
    expect(parseOffset('1000 µs', m)).toBe(48)
    expect(parseOffset('soon', m)).toBeNull()
    expect(parseOffset('', m)).toBeNull()
  })
  it('levels after AES17: a full-scale sine is 0', () => {
    expect(dbfs(Math.SQRT1_2)).toBeCloseTo(0, 9)
    expect(dbfs(0)).toBeNull()
    expect(bytes(10_800_000)).toBe('10.8 MB')
  })
})
