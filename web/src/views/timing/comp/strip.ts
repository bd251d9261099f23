import { axisX } from '../../../plot/axes'
import type { Surface } from '../../../plot/surface'
import { ticks } from '../../../plot/ticks'
import type { Palette } from '../../../shared/theme'
import { fixed } from '../../../shared/units'
import type { Heard } from './parts'

/** Height of a take's row, in CSS pixels. */
export const ROW = 34
/** Room at the left for names. */
export const LEFT = 140
const TOP = 6

export interface Strip {
  names: readonly string[]
  takes: readonly string[]
  heard: readonly Heard[]
  /** Session frames from the left edge to the right. */
  span: readonly [number, number]
  rateHz: number
  cursor: number
  /** A range that is being dragged, and in which row. */
  dragged: { row: number; from: number; to: number } | null
  /** The row that the keyboard is on. */
  row: number
}

export const rowAt = (y: number) => Math.floor((y - TOP) / ROW)
export const frameAt = (x: number, width: number, [first, last]: readonly [number, number]) =>
  first + ((Math.min(Math.max(x, LEFT), width - 8) - LEFT) / (width - 8 - LEFT)) * (last - first)

/** A row a take; what is heard of it is filled. */
export function paintStrip(s: Surface, p: Palette, t: Strip): void {
  const { ctx } = s
  const f = { left: LEFT, right: s.width - 8, top: TOP, bottom: TOP + ROW * t.takes.length }
  const [first, last] = t.span
  const x = (frame: number) => f.left + ((frame - first) / (last - first)) * (f.right - f.left)
  axisX(s, f, p, {
    values: ticks(first / t.rateHz, last / t.rateHz, 10),
    at: (v) => x(v * t.rateHz),
    text: (v) => fixed(v, v % 1 ? 1 : 0),
    title: 's',
  })
  ctx.font = '12px "Source Sans 3", sans-serif'
  ctx.textBaseline = 'middle'
  ctx.textAlign = 'left'
  t.takes.forEach((take, n) => {
    const top = f.top + n * ROW
    ctx.fillStyle = p.ink
    ctx.fillText(t.names[n]!, 4, top + ROW / 2, LEFT - 12)
    ctx.strokeStyle = p.line
    ctx.strokeRect(f.left + 0.5, top + 3.5, f.right - f.left - 1, ROW - 7)
    if (n === t.row) {
      ctx.strokeStyle = p.depth
      ctx.strokeRect(1.5, top + 2.5, f.right - 1, ROW - 5)
    }
    ctx.fillStyle = p.depth
    for (const h of t.heard) if (h.take === take) ctx.fillRect(x(h.from), top + 4, Math.max(1, x(h.to) - x(h.from) - 1), ROW - 8)
  })
  if (t.dragged) {
    const { row, from, to } = t.dragged
    ctx.fillStyle = p.land
    ctx.globalAlpha = 0.6
    ctx.fillRect(x(Math.min(from, to)), f.top + row * ROW + 4, Math.abs(x(to) - x(from)), ROW - 8)
    ctx.globalAlpha = 1
  }
  ctx.fillStyle = p.ink
  const at = x(t.cursor)
  if (at >= f.left && at <= f.right) ctx.fillRect(Math.round(at), f.top, 1, f.bottom - f.top)
}
