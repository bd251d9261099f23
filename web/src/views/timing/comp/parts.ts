import type { Schemas } from '../../../api/client'

export type Plan = Schemas['CompOf']
export type Part = Schemas['CompPart']

/** Shorter than this, in seconds, is no part: the fades at its ends take 5 ms each. */
export const SHORTEST_S = 0.02

/** A stretch in which one take is heard, in session frames. */
export interface Heard {
  from: number
  to: number
  take: string
}

/** Who is heard from one frame to another: of several parts over one another the last counts, outside of all the first take. */
export function heardParts(plan: Plan, [first, last]: readonly [number, number]): Heard[] {
  const parts = plan.parts ?? []
  const inside = parts.flatMap((p) => p.range).filter((e) => e > first && e < last)
  const edges = [...new Set([first, ...inside, last])].sort((a, b) => a - b)
  const heard: Heard[] = []
  for (let n = 0; n + 1 < edges.length; n++) {
    const [from, to] = [edges[n]!, edges[n + 1]!]
    const part = [...parts].reverse().find((p) => p.range[0]! <= from && from < p.range[1]!)
    const take = part?.take ?? plan.takes[0] ?? ''
    const before = heard[heard.length - 1]
    if (before?.take === take) before.to = to
    else heard.push({ from, to, take })
  }
  return heard
}

/** A take for a range. What it covers wholly is forgotten, so that a plan does not grow with every change of mind. */
export function withPart(plan: Plan, range: readonly [number, number], take: string): Plan {
  const covered = (p: Part) => range[0] <= p.range[0]! && p.range[1]! <= range[1]
  return { ...plan, parts: [...(plan.parts ?? []).filter((p) => !covered(p)), { range: [...range], take }] }
}

/** Other takes: parts of one that is no more among them go. */
export const withTakes = (plan: Plan, takes: string[]): Plan => ({ takes, parts: (plan.parts ?? []).filter((p) => takes.includes(p.take)) })
