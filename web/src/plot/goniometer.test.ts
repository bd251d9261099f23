import { describe, expect, it } from 'vitest'
import { place } from './goniometer'

describe('goniometer', () => {
  it('puts what both channels share upright, one channel on its own side, and opposed channels flat', () => {
    const near = (at: { x: number; y: number }, x: number, y: number) => {
      expect(at.x).toBeCloseTo(x, 12)
      expect(at.y).toBeCloseTo(y, 12)
    }
    near(place(1, 1), 0, Math.SQRT2)
    near(place(1, 0), -Math.SQRT1_2, Math.SQRT1_2)
    near(place(0, 1), Math.SQRT1_2, Math.SQRT1_2)
    near(place(1, -1), -Math.SQRT2, 0)
    near(place(-1, 1), Math.SQRT2, 0)
  })

  it('draws XY as two deflections do: left across, right up, opposed in the other two quarters', () => {
    expect(place(1, 0, 'xy')).toEqual({ x: 1, y: 0 })
    expect(place(0, 1, 'xy')).toEqual({ x: 0, y: 1 })
    const at = place(0.5, -0.5, 'xy')
    expect(at.x * at.y).toBeLessThan(0)
  })

  it('turns without stretching: the energy of both stays', () => {
    for (let i = 0; i < 50; i++) {
      const [l, r] = [Math.sin(i * 1.3), Math.cos(i * 0.7)]
      const at = place(l, r)
      expect(at.x ** 2 + at.y ** 2).toBeCloseTo(l ** 2 + r ** 2, 12)
    }
  })
})
