import { axisX, frameOf } from '../../../plot/axes'
import type { Dot } from '../../../plot/dots'
import type { Surface } from '../../../plot/surface'
import { ticks } from '../../../plot/ticks'
import type { Palette } from '../../../shared/theme'
import { fixed } from '../../../shared/units'
import { changeOf, keyName, keyOf, type Found, type Plan } from './plan'

/** What is drawn of a voice. */
export interface Staff {
  found: Found
  plan: Plan
  rateHz: number
  chosen: number | null
  /** Session frames that are shown. */
  range: readonly [number, number]
}

/** At least so many semitones are shown. */
const LEAST = 8

/**
 * A staff of semitones with note names: the pitch as a line, thick where it is solid; notes as bars, those that change with another where they
 * go. Gives where the notes lie.
 */
export function paintStaff(s: Surface, p: Palette, t: Staff): Dot[] {
  const { ctx } = s
  const f = frameOf(s, 44, 34)
  const [first, last] = t.range
  const x = (frame: number) => f.left + ((frame - first) / Math.max(1, last - first)) * (f.right - f.left)
  const shown = t.found.notes.filter((n) => n.to > first && n.from < last)
  const goes = (n: (typeof shown)[number]) => n.key + (changeOf(t.plan, n)?.cents ?? 0) / 100
  const keys = shown.flatMap((n) => [n.key, goes(n)])
  const middle = keys.length > 0 ? (Math.min(...keys) + Math.max(...keys)) / 2 : 60
  const half = Math.max(LEAST / 2, keys.length > 0 ? (Math.max(...keys) - Math.min(...keys)) / 2 + 1.5 : 0)
  const [low, high] = [middle - half, middle + half]
  const y = (key: number) => f.top + ((high - key) / (high - low)) * (f.bottom - f.top)
  const step = f.bottom - f.top < 9 * (high - low) ? 2 : 1
  ctx.textAlign = 'right'
  ctx.textBaseline = 'middle'
  for (let key = Math.ceil(low); key <= high; key++) {
    ctx.strokeStyle = p.line
    ctx.globalAlpha = key % 12 === 0 ? 1 : 0.6
    ctx.beginPath()
    ctx.moveTo(f.left, y(key))
    ctx.lineTo(f.right, y(key))
    ctx.stroke()
    ctx.globalAlpha = 1
    ctx.fillStyle = key % 12 === 0 ? p.ink : p.soft
    if (key % step === 0) ctx.fillText(keyName(key), f.left - 6, y(key))
  }
  axisX(s, f, p, {
    values: ticks(first / t.rateHz, last / t.rateHz, 9),
    at: (v) => x(v * t.rateHz),
    text: (v) => fixed(v, v % 1 ? 1 : 0),
    title: 's',
  })
  ctx.save()
  ctx.beginPath()
  ctx.rect(f.left, f.top, f.right - f.left, f.bottom - f.top)
  ctx.clip()
  const bar = Math.max(4, Math.min(16, 0.7 * (y(0) - y(1))))
  const dots: Dot[] = []
  t.found.notes.forEach((n, index) => {
    if (n.to <= first || n.from >= last) return
    const [from, to] = [x(n.from), x(n.to)]
    ctx.globalAlpha = n.verdict === 'solid' ? 0.7 : 0.35
    ctx.fillStyle = p.shoal
    ctx.fillRect(from, y(n.key) - bar / 2, to - from, bar)
    ctx.globalAlpha = 1
    if (changeOf(t.plan, n)) {
      ctx.strokeStyle = p.land
      ctx.lineWidth = 2
      ctx.strokeRect(from, y(goes(n)) - bar / 2, to - from, bar)
      ctx.lineWidth = 1
    }
    if (index === t.chosen) {
      ctx.strokeStyle = p.ink
      ctx.lineWidth = 2
      ctx.strokeRect(from - 2, y(n.key) - bar / 2 - 2, to - from + 4, bar + 4)
      ctx.lineWidth = 1
    }
    dots.push({ x: (from + to) / 2, y: y(n.key), index })
  })
  contour(t, { x, y }, (sure) => {
    ctx.strokeStyle = p.depth
    ctx.globalAlpha = sure === 0 ? 0.4 : 1
    ctx.lineWidth = sure === 2 ? 2 : 1
    return ctx
  })
  ctx.restore()
  return dots
}

/** The pitch itself, in strokes of one sureness each. */
function contour(
  t: Staff,
  { x, y }: { x: (frame: number) => number; y: (key: number) => number },
  pen: (sure: number) => CanvasRenderingContext2D,
): void {
  const { first, step_frames, hz, sure } = t.found
  const from = Math.max(0, Math.floor((t.range[0] - first) / step_frames))
  const to = Math.min(hz.length, Math.ceil((t.range[1] - first) / step_frames) + 1)
  for (let n = from + 1; n < to; n++) {
    const [a, b] = [hz[n - 1]!, hz[n]!]
    // A leap is no glide.
    if (a === 0 || b === 0 || Math.abs(keyOf(a) - keyOf(b)) > 1) continue
    const ctx = pen(Math.min(sure[n - 1]!, sure[n]!))
    ctx.beginPath()
    ctx.moveTo(x(first + (n - 1) * step_frames), y(keyOf(a)))
    ctx.lineTo(x(first + n * step_frames), y(keyOf(b)))
    ctx.stroke()
  }
}
