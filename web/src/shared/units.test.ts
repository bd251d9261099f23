import { barsBeats, oneTempo } from './beats'
import { describe, expect, it } from 'vitest'
import { bytes, clock, dbfs, distance, fixed, note, noOffset, parseOffset, samples, span, stretchOf } from './units'

const m = { rateHz: 48000, speedMS: 343.2, bpm: 120, beats: oneTempo(24_000) }

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
    expect(barsBeats(0, m.beats)).toBe('1 | 1.0')
    expect(barsBeats(48000 * 2, m.beats)).toBe('2 | 1.0')
    expect(barsBeats(48000 * 2 + 36000, m.beats)).toBe('2 | 2.5')
    const waltz = { ...m, beats: oneTempo(24_000, 3, 24_000) }
    expect([0, 24000, 96000].map((f) => barsBeats(f, waltz.beats))).toEqual(['0 | 3.0', '1 | 1.0', '2 | 1.0'])
  })
  it('reads offsets with any unit', () => {
    expect(parseOffset('-110', m)).toBe(-110)
    expect(parseOffset('−2,5 ms', m)).toBe(-120)
    expect(parseOffset('343.2 cm', m)).toBeCloseTo(480, 9)
    expect(parseOffset('1000 µs', m)).toBe(48)
    // 120 quarters a minute: 1/32 is 62.5 ms (handbook value), dotted half as much again, a triplet two thirds.
    expect(parseOffset('1/32', m)).toBe(3000)
    expect(parseOffset('−1/8', m)).toBe(-12000)
    expect(parseOffset('1/8.', m)).toBe(18000)
    expect(parseOffset('1/8t', m)).toBe(8000)
    expect(parseOffset('1/0', m)).toBeNull()
    expect(noOffset('soon')).toContain('“soon”')
    // Without a unit it is in the one that is shown.
    expect(parseOffset('2.5', m, 'ms')).toBe(120)
    expect(parseOffset('1000', m, 'us')).toBe(48)
    expect(parseOffset('3.432', m, 'distance')).toBeCloseTo(480, 9)
    expect(parseOffset('0.5', m, 'note')).toBe(12000)
    expect(parseOffset('48 samples', m, 'ms')).toBe(48)
    expect(parseOffset('soon', m)).toBeNull()
    expect(parseOffset('', m)).toBeNull()
  })
  it('tells a stretch in every unit and as a frequency', () => {
    // 1 ms: half a period of 500 Hz, a whole one of 1 kHz; 34.3 cm at 20 degrees.
    expect(stretchOf(48, m)).toBe('48 samples · 1.00 ms · 34.3 cm · 0.0020 quarters · 1000 Hz')
    expect(stretchOf(-4800, m)).toContain('10.0 Hz')
    expect(stretchOf(0, m)).not.toContain('Hz')
  })
  it('levels after AES17: a full-scale sine is 0', () => {
    expect(dbfs(Math.SQRT1_2)).toBeCloseTo(0, 9)
    expect(dbfs(0)).toBeNull()
    expect(bytes(10_800_000)).toBe('10.8 MB')
  })
})
