import { ticksOf } from '../../../lanes/ruler'
import type { Surface } from '../../../plot/surface'
import type { Palette } from '../../../shared/theme'
import type { Measure } from '../../../shared/units'
import { EDGES, placeOf, type Edge, type Passage } from './plan'

/** Room at the top for bars and beats, in CSS pixels. */
const TOP = 20
/** An edge is taken hold of within this, in CSS pixels. */
const NEAR = 7
/** Shown before and after a passage, as a part of it. */
const AROUND = 0.3

export interface Joins {
  passage: Passage
  /** The edge that the keyboard moves. */
  chosen: Edge
  /** Peak of the passage, and of what is heard there without it, at a session frame; undefined while it is on its way. */
  again: (frame: number, framesPerPx: number) => number | undefined
  below: (frame: number, framesPerPx: number) => number | undefined
  measure: Measure
  cursor: number
}

/** Session frame at the left edge, and frames a pixel. */
export function viewOf(p: Passage, width: number): { start: number; framesPerPx: number } {
  const [from, to] = [placeOf(p, 'from'), placeOf(p, 'to')]
  const around = AROUND * (to - from)
  return { start: from - around, framesPerPx: (to - from + 2 * around) / Math.max(width, 1) }
}

export const frameAt = (p: Passage, width: number, x: number) => viewOf(p, width).start + x * viewOf(p, width).framesPerPx

/** The edge under a place; where several lie over one another, the chosen one, else the innermost. Null where none is near. */
export function edgeAt(p: Passage, width: number, x: number, chosen: Edge): Edge | null {
  const { start, framesPerPx } = viewOf(p, width)
  const far = (edge: Edge) => Math.abs((placeOf(p, edge) - start) / framesPerPx - x)
  const near = EDGES.map(({ edge }) => edge).filter((edge) => far(edge) <= NEAR)
  const inwards: Edge[] = [chosen, 'faded-in', 'fading-out', 'from', 'to', 'at']
  return inwards.find((edge) => near.includes(edge)) ?? null
}

/** How much of the passage is heard at a frame, 0 … 1: half a cosine, as it is played. */
export function weightAt(p: Passage, frame: number): number {
  const [from, to] = [placeOf(p, 'from'), placeOf(p, 'to')]
  if (frame < from || frame >= to) return 0
  const part = (frames: number, of: number) => (frames >= of ? 1 : 0.5 - 0.5 * Math.cos((Math.PI * frames) / of))
  return Math.min(part(frame - from, p.fade_in), part(to - frame, p.fade_out))
}

/** The passage over what is heard there, with its fades, and bars and beats above. */
export function paintJoins(s: Surface, p: Palette, j: Joins): void {
  const { ctx, width, height } = s
  const { start, framesPerPx } = viewOf(j.passage, width)
  const x = (frame: number) => (frame - start) / framesPerPx
  const middle = (TOP + height) / 2
  const half = (height - TOP) / 2 - 4
  ctx.font = '11px "Source Code Pro", monospace'
  ctx.textBaseline = 'top'
  ctx.textAlign = 'left'
  for (const { frame, label } of ticksOf({ start, framesPerPx, vertical: 1, width, first: 0, last: 0 }, j.measure, 'bars', width)) {
    ctx.fillStyle = p.line
    ctx.fillRect(Math.round(x(frame)), 0, 1, height)
    ctx.fillStyle = p.soft
    ctx.fillText(label, Math.round(x(frame)) + 3, 4)
  }
  const columns = Array.from({ length: Math.ceil(width) }, (_, n) => start + (n + 0.5) * framesPerPx)
  const [again, below] = [columns.map((f) => j.again(f, framesPerPx)), columns.map((f) => j.below(f, framesPerPx))]
  const most = Math.max(1e-6, ...again.map((v) => v ?? 0), ...below.map((v) => v ?? 0))
  const weights = columns.map((f) => weightAt(j.passage, f))
  const wave = (ink: string, values: (number | undefined)[], weight: (n: number) => number) => {
    ctx.fillStyle = ink
    values.forEach((v, n) => {
      const tall = ((v ?? 0) / most) * half * weight(n)
      if (v !== undefined) ctx.fillRect(n, middle - tall, 1, Math.max(1, 2 * tall))
    })
  }
  wave(p.land, below, (n) => 1 - weights[n]!)
  ctx.globalAlpha = 0.85
  wave(p.depth, again, (n) => weights[n]!)
  ctx.globalAlpha = 1
  ctx.strokeStyle = p.ink
  ctx.lineWidth = 1.5
  ctx.beginPath()
  weights.forEach((w, n) => ctx.lineTo(n + 0.5, height - 3 - w * (height - TOP - 6)))
  ctx.stroke()
  for (const { edge } of EDGES) {
    const at = Math.round(x(placeOf(j.passage, edge)))
    ctx.fillStyle = edge === j.chosen ? p.caution : p.ink
    ctx.fillRect(at - (edge === j.chosen ? 1 : 0), TOP, edge === j.chosen ? 3 : 1, height - TOP)
    if (edge !== 'at') continue
    ctx.beginPath()
    ctx.moveTo(at - 5, TOP - 1)
    ctx.lineTo(at + 6, TOP - 1)
    ctx.lineTo(at + 0.5, TOP + 8)
    ctx.fill()
  }
  const cursor = Math.round(x(j.cursor))
  ctx.fillStyle = p.ink
  if (cursor >= 0 && cursor < width) ctx.fillRect(cursor, 0, 1, height)
}
