import { oneTempo } from '../../shared/beats'
import { describe, expect, it } from 'vitest'
import type { Track } from '../../api/client'
import { valuesText } from './values'

const m = { rateHz: 48000, speedMS: 343.2, bpm: 120, beats: oneTempo(24_000) }
const track = (name: string, part: Partial<Track> = {}) =>
  ({
    name,
    start_frame: 0,
    path_frames: 0,
    correction: { offset_frames: 0, invert: false, gain_db: 0 },
    stretches: [],
    stretches_heard: [],
    ...part,
  }) as unknown as Track

describe('values for the clipboard', () => {
  it('gives a line a track, with plain minus signs and tabs', () => {
    const late = track('Snare low', { correction: { offset_frames: -110, invert: true, gain_db: -1.5 } })
    // 110 samples at 48 kHz are 2.2917 ms (arithmetic).
    expect(
      valuesText([late, track('Hall')], m)
        .split('\n')
        .slice(1),
    ).toEqual(['Snare low\t-110\t-2.2917\tinverted\t-1.5\t\t0', 'Hall\t0\t0.0000\tupright\t0\t\t0'])
  })
  it('counts what makes up for a path, and names it', () => {
    const late = track('Snare low', { correction: { offset_frames: -110, invert: false, gain_db: 0 }, path_frames: -480 })
    expect(valuesText([late], m).split('\n')[1]).toBe('Snare low\t-590\t-12.2917\tupright\t0\t\t-480')
  })
  it('tells repaired stretches where they are heard', () => {
    const besides = { offset_frames: -3, invert: true, gain_db: 0 }
    const pair = track('Pair L', {
      start_frame: 48_000,
      correction: { offset_frames: 24_000, invert: false, gain_db: 0 },
      stretches: [{ from: 24_000, to: 72_000, besides }],
      stretches_heard: [[96_000, 144_000]],
    })
    expect(valuesText([pair], m).split('\n')[1]).toBe(
      'Pair L\t24000\t500.0000\tupright\t0\t00:00:02.000 to 00:00:03.000: inverted, -3 samples\t0',
    )
  })
})
