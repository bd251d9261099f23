import type { DrawnPiece, Track } from '../api/client'
import { laneOf, type Group, type Row } from '../session/deskRules'
import type { Desk } from '../api/client'

/** A track as the lanes draw it. */
export interface Lane {
  id: string
  name: string
  startFrame: number
  frames: number
  offset: number
  invert: boolean
  /** What of the recording is seen where, as the server compiled it. */
  pieces: readonly DrawnPiece[]
  anchor: boolean
  dim: boolean
}

/** A row with its place in the stack, in CSS pixels below the ruler. */
export type StackRow = { id: string; top: number; height: number } & (
  | { kind: 'group'; group: Group; tracks: Track[] }
  | { kind: 'lane'; lane: Lane; track: Track; group: Group | null }
  | { kind: 'overlay'; a: Lane; b: Lane }
)

export const GROUP_HEIGHT = 26
/** Lower than this a lane cannot hold its fields. */
export const LEAST_HEIGHT = 26

/** Rows one below the other; `usual` is the height of a lane that nobody changed. */
export function stacked(rows: Row<Track>[], laneFor: (t: Track) => Lane, desk: Desk, usual: number): StackRow[] {
  let top = 0
  return rows.map((row) => {
    const height = row.kind === 'group' ? GROUP_HEIGHT : Math.max(LEAST_HEIGHT, Math.round(usual * laneOf(desk, row.track.id).height))
    const placed = { top, height }
    top += height
    if (row.kind === 'group') return { ...placed, kind: 'group', id: row.group.id, group: row.group, tracks: row.tracks }
    return { ...placed, kind: 'lane', id: row.track.id, lane: laneFor(row.track), track: row.track, group: row.group }
  })
}

export function heightOf(rows: readonly StackRow[]): number {
  const last = rows.at(-1)
  return last ? last.top + last.height : 0
}

/** The row before whose track something dropped at `y` belongs; null for the end. */
export function dropBefore(rows: readonly StackRow[], y: number): string | null {
  const next = rows.find((r) => r.kind === 'lane' && y < r.top + r.height / 2)
  return next?.id ?? null
}
