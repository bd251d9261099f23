import type { Schemas } from '../../../api/client'
import type { Shown } from '../strokes'

export type Hit = Schemas['LayerHit']
export type Plan = Schemas['LayerOf']

export const freshPlan = (source: string, layer: string): Plan => ({ source, layer, picked_only: false, own: [] })

/** Nothing of it moves anything: taken, the layer is as recorded. */
export const asRecorded = (plan: Plan): Plan => ({ ...plan, picked_only: true, own: [] })

/** Two plans are the same that have the same key. */
export const planKey = (p: Plan) => JSON.stringify([p.source, p.layer, p.picked_only ?? false, (p.own ?? []).map((o) => [o.at, o.by])])

/** A hit that goes elsewhere; with null as the plan has it for all. */
export function withOwn(plan: Plan, at: number, by: number | null): Plan {
  const others = (plan.own ?? []).filter((o) => Math.abs(o.at - at) > 1)
  return { ...plan, own: by === null ? others : [...others, { at: Math.round(at), by: Math.round(by) }].sort((a, b) => a.at - b.at) }
}

/** By how many frames a hit goes so that it meets its source; null where it has none. */
export const onto = (hit: Hit) => (hit.late === null || hit.late === undefined ? null : -Math.round(hit.late))

/**
 * Hits as the plot of strokes shows them: where they are heard, and where they were meant. Those that double nothing go with the others, which
 * come `usual` frames late.
 */
export function shownHits(hits: readonly Hit[], layer: string, carriedFrames: number, usual: number): Shown[] {
  return hits.map((h) => {
    const at = h.at + carriedFrames
    const single = h.late === null || h.late === undefined
    const event = {
      at,
      meant: at - (single ? usual : h.late!),
      by: h.by,
      rides: h.rides,
      left: single,
      by_hand: h.by_hand,
      level_db: 0,
      tracks: [layer],
    }
    return { event, by: h.by, left: single && h.by === 0 && !h.by_hand, soft: false }
  })
}
