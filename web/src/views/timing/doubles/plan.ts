import type { Schemas } from '../../../api/client'
import type { Shade, Thread } from '../../../plot/threads'

export type Plan = Schemas['DoublesOf']
export type Follower = Schemas['FollowerOf']
export type Take = Schemas['DoubleView']
export type Knot = Schemas['KnotFound']
export type Mark = Schemas['MarkFound']
export type Closeness = Pick<Plan, 'strength' | 'slack_ms' | 'ratio'>

/** How closely a take follows, by name. */
export interface Preset extends Closeness {
  name: string
}

export const PRESETS: readonly Preset[] = [
  { name: 'Tight', strength: 100, slack_ms: 0, ratio: 2 },
  { name: 'Close', strength: 85, slack_ms: 8, ratio: 1.5 },
  { name: 'Loose', strength: 60, slack_ms: 25, ratio: 1.25 },
]

export const follower = (take: string): Follower => ({ take, protected: [], pins: [] })
export const freshPlan = (lead: string, takes: string[]): Plan => ({
  lead,
  takes: takes.filter((t) => t !== lead).map(follower),
  strength: PRESETS[1]!.strength,
  slack_ms: PRESETS[1]!.slack_ms,
  ratio: PRESETS[1]!.ratio,
  pitch: 0,
})

/** Two plans are the same that have the same key. */
export const planKey = (p: Plan) =>
  JSON.stringify([p.lead, p.strength, p.slack_ms, p.ratio, p.pitch ?? 0, p.takes.map((t) => [t.take, t.protected ?? [], t.pins ?? []])])

export const sameCloseness = (a: Closeness, b: Closeness) => a.strength === b.strength && a.slack_ms === b.slack_ms && a.ratio === b.ratio

/** The same plan with other takes; those that stay keep their pins. */
export const withTakes = (plan: Plan, takes: readonly string[]): Plan => ({
  ...plan,
  takes: takes.filter((t) => t !== plan.lead).map((t) => plan.takes.find((f) => f.take === t) ?? follower(t)),
})

/** The same plan with something of one take changed. */
export const withFollower = (plan: Plan, take: string, part: Partial<Follower>): Plan => ({
  ...plan,
  takes: plan.takes.map((f) => (f.take === take ? { ...f, ...part } : f)),
})

/** Another lead: it does not follow itself, and pins were set against the one before. */
export const withLead = (plan: Plan, lead: string): Plan => ({
  ...plan,
  lead,
  takes: plan.takes.filter((f) => f.take !== lead).map((f) => follower(f.take)),
})

/** A pin of a take is one of the moment within this, in frames of the take. */
const SAME_FRAMES = 480

export const pinOf = (f: Follower, knot: Pick<Knot, 'take'>) => (f.pins ?? []).find((p) => Math.abs(p.take - knot.take) < SAME_FRAMES)

/** A moment pinned to land so many frames after the lead's; with null it goes as it is found. */
export function withPin(f: Follower, knot: Knot, later: number | null): Partial<Follower> {
  const others = (f.pins ?? []).filter((p) => Math.abs(p.take - knot.take) >= SAME_FRAMES)
  if (later === null) return { pins: others }
  const pin = { lead: Math.round(knot.lead + later), take: Math.round(knot.take) }
  return { pins: [...others, pin].sort((a, b) => a.take - b.take) }
}

/** Where a frame of the take goes: straight between the points, and with the lag of the ends beyond them. */
export function goesAt(goes: readonly (readonly number[])[], take: number): number {
  const [first, last] = [goes[0], goes[goes.length - 1]]
  if (!first || !last) return take
  if (take <= first[0]!) return take + first[1]! - first[0]!
  if (take >= last[0]!) return take + last[1]! - last[0]!
  let [low, high] = [0, goes.length - 1]
  while (high - low > 1) {
    const mid = (low + high) >> 1
    if (goes[mid]![0]! <= take) low = mid
    else high = mid
  }
  const [a, b] = [goes[low]!, goes[high]!]
  return a[1]! + ((take - a[0]!) * (b[1]! - a[1]!)) / (b[0]! - a[0]!)
}

/** Moments that were compared: the others only help the map along. */
export const heldTogether = (take: Take): Knot[] => take.knots.filter((k) => k.alike > 0)

/** Further than this from where strength and slack would have it, in ms, a moment was held back: by the farthest stretch, or by a pin beside it. */
const HELD_BACK_MS = 1

/** As they are drawn: by how much the take is later than the lead, as it is and as it is planned. Those that are held back stand out. */
export function threads(take: Take, of: Follower, { strength, slack_ms }: Closeness, rateHz: number): Thread[] {
  const ms = (frames: number) => (1000 * frames) / rateHz
  return heldTogether(take).map((k) => {
    const [before, after] = [ms(k.take - k.lead), ms(goesAt(take.goes, k.take) - k.lead)]
    const beyond = before - Math.max(-slack_ms, Math.min(slack_ms, before))
    const wanted = before - (strength / 100) * beyond
    const pinned = pinOf(of, k) !== undefined
    return { at: k.lead, before, after, verdict: k.verdict, pinned, off: !pinned && Math.abs(after - wanted) > HELD_BACK_MS }
  })
}

/** Stretches in which nothing is held together, and those that keep their length. */
export function shades(take: Take, of: Follower): Shade[] {
  const marked = take.marked.map((m) => ({ from: m.lead[0]!, to: m.lead[1]!, settled: false }))
  const kept = (of.protected ?? []).map(([from, to]) => ({ from: from!, to: to!, settled: true }))
  return [...kept, ...marked]
}

/** The median and the 95th percentile of sizes; null of none. */
export function spread(values: readonly number[]): { median: number; most: number } | null {
  const sizes = values.map(Math.abs).sort((a, b) => a - b)
  if (sizes.length === 0) return null
  const at = (part: number) => sizes[Math.min(sizes.length - 1, Math.floor(part * sizes.length))]!
  return { median: at(0.5), most: at(0.95) }
}

export const WHY: Record<Mark['why'], (take: string, lead: string) => string> = {
  missing: (take) => `not in ${take}`,
  added: (_, lead) => `not in ${lead}`,
  undecided: () => 'nothing says which moment is which',
}
