import type { Surface } from '../plot/surface'
import type { Palette } from '../shared/theme'
import type { StackRow } from './rows'
import { RULER } from './ruler'
import { xOf, type Viewport } from './viewport'

/** A stroke on a lane. */
export interface LaneStroke {
  track: string
  /** Session frame at which it is heard. */
  frame: number
  /** Where it goes. */
  to: number
  kind: 'found' | 'drawn' | 'left' | 'soft'
}

/** Nearer than this one is drawn for several: an hour has thousands. */
const APART_PX = 3

/**
 * Strokes at the upper edge of their lanes: a filled wedge where one was found, a diamond where a hand drew it, a ring where it is too far off
 * and left, a dot where it is softer than what is moved; an arrow to where it goes.
 */
export function paintLaneStrokes(
  s: Surface,
  p: Palette,
  v: Viewport,
  rows: readonly { row: StackRow; top: number }[],
  strokes: readonly LaneStroke[],
): void {
  if (strokes.length === 0) return
  const { ctx } = s
  const tops = new Map(rows.filter((r) => r.row.kind === 'lane').map((r) => [r.row.id, r.top]))
  const last = new Map<string, number>()
  for (const stroke of strokes) {
    const top = tops.get(stroke.track)
    if (top === undefined || top < RULER - 2) continue
    const [x, to] = [xOf(v, stroke.frame), xOf(v, stroke.to)]
    if (Math.max(x, to) < -6 || Math.min(x, to) > s.width + 6) continue
    if (x - (last.get(stroke.track) ?? -Infinity) < APART_PX) continue
    last.set(stroke.track, x)
    mark(ctx, p, x, top + 1, stroke.kind)
    if (Math.abs(to - x) >= 2) arrow(ctx, p, x, to, top + 10)
  }
}

function mark(ctx: CanvasRenderingContext2D, p: Palette, x: number, y: number, kind: LaneStroke['kind']): void {
  ctx.fillStyle = kind === 'soft' ? p.soft : p.land
  ctx.strokeStyle = p.caution
  ctx.beginPath()
  if (kind === 'found') {
    ctx.moveTo(x - 4, y)
    ctx.lineTo(x + 4, y)
    ctx.lineTo(x, y + 7)
  } else if (kind === 'drawn') {
    ctx.moveTo(x, y)
    ctx.lineTo(x + 4, y + 4)
    ctx.lineTo(x, y + 8)
    ctx.lineTo(x - 4, y + 4)
  } else ctx.arc(x, y + 4, kind === 'left' ? 3.5 : 1.5, 0, 7)
  if (kind === 'left') ctx.stroke()
  else ctx.fill()
}

function arrow(ctx: CanvasRenderingContext2D, p: Palette, x: number, to: number, y: number): void {
  const by = Math.sign(to - x)
  ctx.strokeStyle = p.ink
  ctx.fillStyle = p.ink
  ctx.beginPath()
  ctx.moveTo(x, y)
  ctx.lineTo(to, y)
  ctx.stroke()
  ctx.beginPath()
  ctx.moveTo(to, y)
  ctx.lineTo(to - 4 * by, y - 3)
  ctx.lineTo(to - 4 * by, y + 3)
  ctx.fill()
}
