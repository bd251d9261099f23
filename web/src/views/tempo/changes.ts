import type { Schemas } from '../../api/client'

export type TempoChange = Schemas['TempoChange']

/** Slowest and fastest tempo of a session, and longest bar: as the server has them. */
export const BPM = [20, 400] as const
export const BEATS = [1, 32] as const

/** A bar's number, from 1, at which a quarter lies: bars begin anew where the metre changes. */
export function barOf(changes: readonly TempoChange[], quarter: number): number {
  let [bar, from, beats] = [0, 0, changes[0]?.quarters_a_bar ?? 4]
  for (const c of changes) {
    if (c.quarter > quarter) break
    if (c.quarters_a_bar === beats) continue
    bar += Math.ceil((c.quarter - from) / beats)
    ;[from, beats] = [c.quarter, c.quarters_a_bar]
  }
  return bar + Math.floor((quarter - from) / beats) + 1
}

/** The quarter at which a bar, from 1, begins. */
export function quarterOf(changes: readonly TempoChange[], bar: number): number {
  let [at, from, beats] = [0, 0, changes[0]?.quarters_a_bar ?? 4]
  for (const c of changes) {
    if (c.quarters_a_bar === beats) continue
    const bars = Math.ceil((c.quarter - from) / beats)
    if (at + bars >= bar) break
    at += bars
    ;[from, beats] = [c.quarter, c.quarters_a_bar]
  }
  return from + (bar - 1 - at) * beats
}

/** With a change put in or another in its place, in order. */
export function withChange(changes: readonly TempoChange[], change: TempoChange): TempoChange[] {
  const rest = changes.filter((c) => c.quarter !== change.quarter)
  return [...rest, change].sort((a, b) => a.quarter - b.quarter)
}

/** The tempo and metre that hold at a quarter. */
export function holding(changes: readonly TempoChange[], quarter: number): TempoChange {
  return [...changes].reverse().find((c) => c.quarter <= quarter) ?? changes[0] ?? { quarter: 0, bpm: 120, quarters_a_bar: 4 }
}
