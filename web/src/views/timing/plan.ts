import type { Schemas } from '../../api/client'

export type Event = Schemas['EventFound']

/** A part of the session in which a set is moved, and how. */
export interface Section {
  /** Session frames; null: all of it. */
  range: [number, number] | null
  grid: string
  /** A track whose strokes they are moved onto instead. */
  onto: string | null
  /** Per cent of the deviation that is taken out. */
  strength: number
  slack_ms: number
  farthest_ms: number
}

/** A set of tracks that are moved together. */
export interface Plan {
  set: string[]
  /** Tracks whose strokes are moved; none: all of the set that have some. */
  hits: string[]
  within_ms: number
  sections: Section[]
}

export const GRIDS = [
  '1/4',
  '1/8',
  '1/8t',
  '1/8s60',
  '1/8s67',
  '1/16',
  '1/16t',
  '1/16s58',
  '1/32',
  '1/2',
  '1/1',
  '1/4t',
  '1/4.',
  '1/8.',
] as const

export const freshSection = (): Section => ({ range: null, grid: '1/16', onto: null, strength: 80, slack_ms: 5, farthest_ms: 60 })

/** The section that a place belongs to: of several the last. */
export function sectionOf(plan: Plan, frame: number): Section | undefined {
  return [...plan.sections].reverse().find((s) => s.range === null || (s.range[0] <= frame && frame < s.range[1]))
}

/** What a control that is being dragged would do, before the server has said it: frames, and whether it is left for being too far off. */
export function preview(event: Pick<Event, 'at' | 'meant'>, plan: Plan, rateHz: number): { by: number; left: boolean } {
  const section = sectionOf(plan, event.at)
  if (!section) return { by: 0, left: false }
  const off = event.meant - event.at
  const far = (ms: number) => (ms / 1000) * rateHz
  if (Math.abs(off) > far(section.farthest_ms)) return { by: 0, left: true }
  if (Math.abs(off) <= far(section.slack_ms)) return { by: 0, left: false }
  return { by: Math.round((section.strength / 100) * off), left: false }
}

/** Strokes and their places stay the same: only how far they go has changed. */
export function placesAlike(a: Plan, b: Plan): boolean {
  const places = (p: Plan) => JSON.stringify([p.set, p.hits, p.within_ms, p.sections.map((s) => [s.range, s.grid, s.onto])])
  return places(a) === places(b)
}

/** The plan that was last looked at, by session: one comes back to it from another view. */
export const plans = new Map<string, Plan>()

/** What an address says; null for what is no plan. */
export function planOf(text: string | undefined): Plan | null {
  if (!text) return null
  try {
    const p = JSON.parse(text) as Partial<Plan>
    const sound = Array.isArray(p.set) && Array.isArray(p.hits) && typeof p.within_ms === 'number' && Array.isArray(p.sections)
    if (!sound || !p.sections!.every((s) => typeof s.grid === 'string' && typeof s.strength === 'number')) return null
    return p as Plan
  } catch {
    return null
  }
}
