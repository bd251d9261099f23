import { describe, expect, it } from 'vitest'
import { ownFrame, placed } from './values'

const piece = (from: number, to: number, start: number, rate = 1) => ({ from, to, start, rate, factor: 1 })

describe('where a frame of a recording is heard', () => {
  it('is where it was recorded, moved by its offset', () => {
    const at = placed([piece(500, 9_500, 500)])
    expect([at(0), at(8_999), at(9_000), at(-1)]).toEqual([500, 9_499, null, null])
  })

  it('is the place of its piece, and nowhere where pieces leave it out', () => {
    // Frames 0 to 999 moved by 100, 2,000 to 2,999 by -300; what lies between is skipped.
    const at = placed([piece(1_700, 2_700, -300), piece(100, 1_100, 100)])
    expect([at(10), at(999), at(1_500), at(2_000), at(2_999), at(3_000)]).toEqual([110, 1_099, null, 1_700, 2_699, null])
  })

  it('is found under any number of stretches that lie over one piece', () => {
    const stretches = Array.from({ length: 50 }, (_, n) => piece(100 * n, 100 * n + 20, 0))
    const at = placed([piece(0, 100_000, 0), ...stretches])
    expect([at(4_950), at(60_000), at(100_000)]).toEqual([4_950, 60_000, null])
  })

  it('follows a piece of another speed, and is the way back of what plays there', () => {
    const pieces = [piece(0, 1_000, 0, 2), piece(1_000, 2_000, -500, 2)]
    const at = placed(pieces)
    for (const frame of [0, 250, 999, 1_200]) expect(at(ownFrame(pieces, frame)!)).toBeCloseTo(frame)
    expect(placed([])(5)).toBeNull()
  })
})
