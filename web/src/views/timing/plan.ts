import type { Schemas } from '../../api/client'

export type Event = Schemas['EventFound']
export type Plan = Schemas['TimingOf']
export type Section = Schemas['SectionOf']
export type Stroke = Schemas['StrokeOf']

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

/** As soft as strokes are found, in dB against a usual one of their source. */
export const ALL_STROKES = -30
/** What is moved by hand is the stroke within this, in seconds, as the server has it. */
const BY_HAND_S = 0.01
/** A drawn stroke, or one that is left out, is the one within this, in seconds. */
const SAME_S = 0.006

export const freshSection = (): Section => ({ range: null, grid: '1/16', onto: null, strength: 80, slack_ms: 5, farthest_ms: 60 })
export const freshPlan = (set: string[]): Plan => ({
  set,
  hits: [],
  within_ms: 12,
  softest_db: ALL_STROKES,
  sections: [freshSection()],
  added: [],
  removed: [],
  own: [],
})

/** Nothing of it moves anything: taken, all is as recorded. */
export const asRecorded = (plan: Plan): Plan => ({ ...plan, sections: [], own: [] })

/** The section that a place belongs to: of several the last. */
export function sectionOf(plan: Plan, frame: number): Section | undefined {
  return [...plan.sections].reverse().find((s) => !s.range || (s.range[0]! <= frame && frame < s.range[1]!))
}

/** By how many frames a stroke is moved by hand, or by the pins on either side; undefined where its section says. */
export function byHand(plan: Plan, at: number, rateHz: number): number | undefined {
  const own = plan.own ?? []
  const near = own.filter((o) => Math.abs(o.at - at) <= BY_HAND_S * rateHz)
  if (near.length > 0) return near.sort((a, b) => Math.abs(a.at - at) - Math.abs(b.at - at))[0]!.by
  const pins = own.filter((o) => o.pin).sort((a, b) => a.at - b.at)
  const next = pins.findIndex((p) => p.at > at)
  const [before, after] = [pins[next - 1], pins[next]]
  if (!before || !after) return undefined
  return Math.round(before.by + ((at - before.at) / (after.at - before.at)) * (after.by - before.by))
}

/** What a hand says of the stroke itself, apart from the pins around it. */
export const ownOf = (plan: Plan, at: number, rateHz: number) => (plan.own ?? []).find((o) => Math.abs(o.at - at) <= BY_HAND_S * rateHz)

/** What a control that is being dragged would do, before the server has said it: frames, and whether it is left for being too far off. */
export function preview(
  event: Pick<Event, 'at' | 'meant' | 'level_db'>,
  plan: Plan,
  rateHz: number,
): { by: number; left: boolean; soft: boolean } {
  const soft = event.level_db < (plan.softest_db ?? ALL_STROKES)
  const own = byHand(plan, event.at, rateHz)
  if (own !== undefined && !soft) return { by: own, left: false, soft }
  const section = sectionOf(plan, event.at)
  if (!section || soft) return { by: 0, left: false, soft }
  const off = event.meant - event.at
  const far = (ms: number) => (ms / 1000) * rateHz
  if (Math.abs(off) > far(section.farthest_ms)) return { by: 0, left: true, soft }
  if (Math.abs(off) <= far(section.slack_ms)) return { by: 0, left: false, soft }
  return { by: Math.round((section.strength / 100) * off), left: false, soft }
}

const key = (p: Plan, strokes: boolean) => {
  const sections = p.sections.map((s) => [
    s.range ?? null,
    s.grid,
    s.onto ?? null,
    ...(strokes ? [] : [s.strength, s.slack_ms, s.farthest_ms]),
  ])
  const drawn = [p.added ?? [], p.removed ?? []].map((all) => all.map((s) => [s.track, s.at]))
  const rest = strokes ? [] : [p.softest_db ?? ALL_STROKES, (p.own ?? []).map((o) => [o.at, o.by, o.pin ?? false])]
  return JSON.stringify([p.set, p.hits ?? [], p.within_ms, sections, drawn, rest])
}

/** Two plans are the same that have the same key. */
export const planKey = (p: Plan) => key(p, false)

/** Strokes and their places stay the same: only how far they go has changed. */
export const placesAlike = (a: Plan, b: Plan) => key(a, true) === key(b, true)

/** A stroke moved by hand, as a pin or not, or, with null, as its section says again. What is not said of the pin stays. */
export function withOwn(plan: Plan, at: number, by: number | null, rateHz: number, pin?: boolean): Plan {
  const others = (plan.own ?? []).filter((o) => Math.abs(o.at - at) > BY_HAND_S * rateHz)
  if (by === null) return { ...plan, own: others }
  const own = { at: Math.round(at), by: Math.round(by), pin: pin ?? ownOf(plan, at, rateHz)?.pin ?? false }
  return { ...plan, own: [...others, own].sort((a, b) => a.at - b.at) }
}

/** A stroke drawn; one that was left out there is back instead. */
export function withDrawn(plan: Plan, stroke: Stroke, rateHz: number): Plan {
  const near = (s: Stroke) => s.track === stroke.track && Math.abs(s.at - stroke.at) <= SAME_S * rateHz
  const [added, removed] = [plan.added ?? [], plan.removed ?? []]
  if (removed.some(near)) return { ...plan, removed: removed.filter((s) => !near(s)) }
  return added.some(near) ? plan : { ...plan, added: [...added, stroke] }
}

/** Strokes left out: drawn ones are gone, found ones are named. */
export function without(plan: Plan, strokes: readonly Stroke[], rateHz: number): Plan {
  const same = (a: Stroke, b: Stroke) => a.track === b.track && Math.abs(a.at - b.at) <= SAME_S * rateHz
  const added = (plan.added ?? []).filter((s) => !strokes.some((x) => same(s, x)))
  const found = strokes.filter((s) => !(plan.added ?? []).some((x) => same(s, x)))
  return { ...plan, added, removed: [...(plan.removed ?? []), ...found] }
}

/** Only tracks that are still there. */
export function cleaned(plan: Plan, known: (id: string) => boolean): Plan {
  const there = (s: Stroke) => known(s.track)
  return {
    ...plan,
    set: plan.set.filter(known),
    hits: (plan.hits ?? []).filter(known),
    sections: plan.sections.map((s) => (s.onto && !known(s.onto) ? { ...s, onto: null } : s)),
    added: (plan.added ?? []).filter(there),
    removed: (plan.removed ?? []).filter(there),
  }
}

/** Neighbours of a stroke that are off the same way by about as much, from the first to the last. */
const ALIKE = 0.3
/** Nearer than this to its place, in ms, a stroke is not off. */
const OFF_MS = 8

/** Which strokes around one are off as it is: somebody came in early, and the next ones with him. */
export function alikeAround(events: readonly Pick<Event, 'at' | 'meant'>[], index: number, rateHz: number): number[] {
  const off = (n: number) => (1000 * (events[n]!.at - events[n]!.meant)) / rateHz
  const own = off(index)
  if (Math.abs(own) < OFF_MS) return [index]
  const alike = (n: number) => n >= 0 && n < events.length && Math.abs(off(n) - own) <= ALIKE * Math.abs(own)
  let [first, last] = [index, index]
  while (alike(first - 1)) first--
  while (alike(last + 1)) last++
  return Array.from({ length: last - first + 1 }, (_, n) => first + n)
}
