/** Where the energy of a recording of several channels comes from. Directions in degrees: 0 ahead, positive to the right. */

export interface Heard {
  degrees: number
  /** RMS in dBFS; null for silence. */
  rmsDb: number | null
}

/** What is quieter draws nothing, in dBFS. */
export const GATE_DB = -60

const energy = (c: Heard) => (c.rmsDb === null || c.rmsDb < GATE_DB ? 0 : 10 ** (c.rmsDb / 10))
const radians = (degrees: number) => (degrees * Math.PI) / 180
const within = (degrees: number) => ((degrees % 360) + 360) % 360

/** Energy by direction, `step` degrees apart from straight ahead on: between two neighbours as a sound panned there by the sine law would
 * be shared out (constant power; common practice, no source). */
export function energyAround(channels: readonly Heard[], step: number): number[] {
  const ring = [...channels].sort((a, b) => within(a.degrees) - within(b.degrees))
  const count = Math.round(360 / step)
  if (ring.length === 0) return Array.from({ length: count }, () => 0)
  return Array.from({ length: count }, (_, k) => {
    const turn = k * step
    const after = ring.findIndex((c) => within(c.degrees) >= turn)
    const b = ring[after < 0 ? 0 : after]!
    const a = ring[((after < 0 ? 0 : after) + ring.length - 1) % ring.length]!
    const gap = within(b.degrees - a.degrees) || 360
    const part = within(turn - a.degrees) / gap
    const way = radians(90 * Math.min(part, 1))
    return energy(a) * Math.cos(way) ** 2 + energy(b) * Math.sin(way) ** 2
  })
}

/** Where the whole sits: the energy vector, to the right and ahead, its length at most 1 (Gerzon, General Metatheory of Auditory
 * Localisation, AES 92nd Convention 1992). Null while nothing sounds. */
export function energyVector(channels: readonly Heard[]): [number, number] | null {
  const total = channels.reduce((sum, c) => sum + energy(c), 0)
  if (total === 0) return null
  const along = (of: (turn: number) => number) => channels.reduce((sum, c) => sum + energy(c) * of(radians(c.degrees)), 0) / total
  return [along(Math.sin), along(Math.cos)]
}

/** Correlation under this, for so many seconds on end, is no accident. */
const OPPOSED = -0.3
const LASTS_S = 1

/** Are two channels opposed at a place of the session, and have been for a second? `strip` is their correlation along the session. */
export function opposedFor(strip: readonly (number | null | undefined)[], stepS: number, atS: number): boolean {
  const last = Math.floor(atS / stepS)
  const first = last - Math.max(1, Math.round(LASTS_S / stepS)) + 1
  if (first < 0 || last >= strip.length) return false
  return strip.slice(first, last + 1).every((c) => typeof c === 'number' && c < OPPOSED)
}
