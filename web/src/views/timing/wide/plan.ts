import type { Schemas } from '../../../api/client'
import { hertz } from '../../../plot/ticks'
import { fixed } from '../../../shared/units'

export type Plan = Schemas['WideOf']
export type Found = Schemas['WideView']

/** So many drifts are there. */
const DRIFTS = 1000
/** What fields take. */
export const BOUNDS = { apart_ms: [1, 40], cents: [0.5, 30] } as const

export const freshPlan = (track: string): Plan => ({ track, copies: 2, apart_ms: 12, cents: 6, drift: 1 })
export const planKey = (p: Plan) => JSON.stringify([p.track, p.copies, p.apart_ms, p.cents, p.drift ?? 0])

/** The plan with the next drift. */
export const nextDrift = (p: Plan): Plan => ({ ...p, drift: ((p.drift ?? 0) + 1) % DRIFTS })

/** The band that loses most over the whole; undefined for silence. */
export const worstBand = (found: Pick<Found, 'bands'>) =>
  found.bands.reduce<Found['bands'][number] | undefined>((a, b) => (a === undefined || b.gain_db < a.gain_db ? b : a), undefined)

/** A gain or a loss in words. */
const change = (db: number) => `${db < 0 ? 'loses' : 'gains'} ${fixed(Math.abs(db), 1)} dB`

/** What the sum in mono does, said first whether it is fine. */
export function told(name: string, found: Pick<Found, 'bands' | 'fine'>): string {
  const worst = worstBand(found)
  if (!worst) return `${name} is silent: there is nothing to make wide.`
  const band = `the band at ${hertz(worst.hz)} Hz ${change(worst.gain_db)}`
  if (found.fine) return `Holds in mono: at worst ${band}.`
  return `Does not hold in mono: ${band} against copies that have nothing to do with one another. Try another drift, or more milliseconds.`
}
