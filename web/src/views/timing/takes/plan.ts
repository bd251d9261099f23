import type { Schemas } from '../../../api/client'

export type Chord = Schemas['ChordFound']
export type Flag = Schemas['FlagFound']
export type Plan = Schemas['TakesOf']
export type Meant = Schemas['Meant']

/** Apart by no more than this, in ms, takes sit together (common practice, no source; as `marea takes` has it). */
export const SLACK_MS = 25

export const freshPlan = (first: string, second: string): Plan => ({ first, second, slack_ms: SLACK_MS, moves: [] })

/** Two plans are the same that have the same key. */
export const planKey = (p: Plan) =>
  JSON.stringify([p.first, p.second, p.slack_ms, (p.moves ?? []).map((m) => [m.track, m.from, m.to, m.by])])

const meets = (a: readonly number[], b: readonly number[]) => a[0]! <= b[1]! && b[0]! <= a[1]!

/** The move of a passage that the plan has; undefined where it stays. */
export const moveOf = (plan: Plan, flag: Flag) => (plan.moves ?? []).find((m) => meets([m.from, m.to], flag.range))

/** A passage of one of the takes (0 or 1) moved to meet the other; with null it stays. */
export function withMove(plan: Plan, flag: Flag, take: 0 | 1 | null): Plan {
  const others = (plan.moves ?? []).filter((m) => !meets([m.from, m.to], flag.range))
  if (take === null) return { ...plan, moves: others }
  const [from, to] = flag.range as [number, number]
  const move = { track: take === 0 ? plan.first : plan.second, from, to, by: flag.meets[take]! }
  return { ...plan, moves: [...others, move].sort((a, b) => a.from - b.from) }
}

/** A passage marked as meant, or no more. */
export function withMeant(all: readonly Meant[], plan: Plan, flag: Flag, on: boolean): Meant[] {
  const same = (m: Meant) => [plan.first, plan.second].every((t) => m.takes.includes(t)) && meets(m.range, flag.range)
  const others = all.filter((m) => !same(m))
  return on ? [...others, { takes: [plan.first, plan.second], range: flag.range }] : others
}

/** By how much the second is later than in the median once both are moved, in ms. */
export const afterMs = (c: Chord, rateHz: number) => c.apart_ms + (1000 * (c.by[1]! - c.by[0]!)) / rateHz

/** What is off and by how much, in words. */
export function reason(f: Flag, [first, second]: readonly [string, string], plan: Plan): string {
  const side = (ms: number) => `${Math.round(Math.abs(ms))} ms ${ms < 0 ? 'early' : 'late'}`
  if (f.take && f.off_ms) {
    const n = f.take === plan.first ? 0 : 1
    return `${n === 0 ? first : second} is ${side(f.off_ms[n]!)} by the beats`
  }
  const apart = `${second} comes ${side(f.apart_ms)} against ${first}`
  if (f.off_ms) return `${apart}; by the beats ${first} is ${side(f.off_ms[0]!)}, ${second} ${side(f.off_ms[1]!)}`
  return `${apart}; which of them is off cannot be told by the beats`
}
