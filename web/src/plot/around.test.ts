import { describe, expect, it } from 'vitest'
import { energyAround, energyVector, opposedFor, type Heard } from './around'

const five = (levels: (number | null)[]): Heard[] => [-30, 30, 0, -110, 110].map((degrees, i) => ({ degrees, rmsDb: levels[i]! }))

describe('energy by direction', () => {
  it('is that of the channel in its own direction, and shared out between two', () => {
    const rays = energyAround(five([-20, -20, null, null, null]), 1)
    expect(rays[30]).toBeCloseTo(0.01)
    expect(rays[330]).toBeCloseTo(0.01)
    // Halfway to a silent neighbour half of it is left.
    expect(rays[15]).toBeCloseTo(0.005)
    expect(rays[70]).toBeCloseTo(0.005)
    expect(rays[180]).toBeCloseTo(0)
  })

  it('between two alike is the same all the way', () => {
    const rays = energyAround(
      [-45, 45].map((degrees) => ({ degrees, rmsDb: -10 })),
      5,
    )
    for (const ray of rays) expect(ray).toBeCloseTo(0.1)
  })

  it('draws nothing under −60 dBFS', () => {
    expect(energyAround(five([-61, -70, null, -90, -61]), 3).every((v) => v === 0)).toBe(true)
    expect(energyVector(five([-61, -70, null, -90, -61]))).toBeNull()
  })
})

/** Gerzon 1992: the sum of directions weighted by energy, over all energy. */
describe('the energy vector', () => {
  it('points at the only channel that sounds, with length 1', () => {
    const [right, ahead] = energyVector(five([null, null, null, null, -12]))!
    expect(right).toBeCloseTo(Math.sin((110 * Math.PI) / 180))
    expect(ahead).toBeCloseTo(Math.cos((110 * Math.PI) / 180))
  })

  it('of two alike lies between them, nearer to the middle', () => {
    const [right, ahead] = energyVector(five([-20, -20, null, null, null]))!
    expect(right).toBeCloseTo(0)
    expect(ahead).toBeCloseTo(Math.cos(Math.PI / 6))
  })
})

describe('opposition that lasts', () => {
  const strip = [0.5, -0.5, -0.6, -0.9, -0.4, null, -0.8]
  it('takes a second on end', () => {
    expect(opposedFor(strip, 0.4, 0.5)).toBe(false)
    expect(opposedFor(strip, 0.4, 1.3)).toBe(true)
    expect(opposedFor(strip, 0.4, 2.1)).toBe(false)
    expect(opposedFor(strip, 0.4, 99)).toBe(false)
  })
})
