import type { PairMeasurement } from '../../api/client'
import { axisX, axisY, frameOf, type Frame } from '../../plot/axes'
import type { Surface } from '../../plot/surface'
import { ticks } from '../../plot/ticks'
import type { Palette } from '../../shared/theme'
import { fixed } from '../../shared/units'

/** The part of the lag axis in view, in frames. */
export interface LagRange {
  low: number
  high: number
}

export function fullRange(m: PairMeasurement): LagRange {
  const { first_lag_frames: first, step_frames: step, values } = m.curve
  return { low: first, high: first + step * Math.max(values.length - 1, 1) }
}

export function lagAt(x: number, f: Frame, r: LagRange): number {
  return r.low + ((x - f.left) / (f.right - f.left)) * (r.high - r.low)
}

/** Signed agreement against lag, candidates marked, and the lag being tried. */
export function paintCurve(s: Surface, p: Palette, m: PairMeasurement, r: LagRange, tried: number, under: number | null): void {
  const { ctx } = s
  const f = frameOf(s, 40, 34)
  const ms = (frames: number) => (frames * 1000) / m.rate_hz
  const x = (lag: number) => f.left + ((lag - r.low) / (r.high - r.low)) * (f.right - f.left)
  const y = (v: number) => f.top + ((1 - v) / 2) * (f.bottom - f.top)
  axisX(s, f, p, {
    values: ticks(ms(r.low), ms(r.high), Math.max(3, s.width / 90)),
    at: (v) => x((v * m.rate_hz) / 1000),
    text: (v) => fixed(v, Math.abs(v) < 10 && r.high - r.low < m.rate_hz / 200 ? 2 : 0),
    title: 'lag, ms: right is later',
  })
  axisY(s, f, p, { values: [-1, -0.5, 0, 0.5, 1], at: y, text: (v) => fixed(v, 1), title: 'agreement, relative' })
  ctx.save()
  ctx.beginPath()
  ctx.rect(f.left, f.top - 8, f.right - f.left, f.bottom - f.top + 16)
  ctx.clip()
  const { first_lag_frames: first, step_frames: step, values } = m.curve
  const perPx = (r.high - r.low) / (f.right - f.left) / step
  ctx.strokeStyle = p.depth
  ctx.lineWidth = 1.2
  ctx.beginPath()
  if (perPx > 1.5) {
    // Many points a pixel: draw the extremes, so that no peak is lost.
    for (let px = f.left; px <= f.right; px++) {
      const a = Math.max(0, Math.floor((lagAt(px, f, r) - first) / step))
      const b = Math.min(values.length, Math.ceil((lagAt(px + 1, f, r) - first) / step))
      let low = 1
      let high = -1
      for (let i = a; i < b; i++) {
        low = Math.min(low, values[i]!)
        high = Math.max(high, values[i]!)
      }
      if (high >= low) {
        ctx.lineTo(px, y(high))
        ctx.lineTo(px, y(low))
      }
    }
  } else {
    values.forEach((v, i) => {
      const at = first + i * step
      if (at >= r.low - step && at <= r.high + step) ctx.lineTo(x(at), y(v))
    })
  }
  ctx.stroke()
  const shown = m.verdict === 'undecided' ? m.candidates : m.candidates.slice(0, 2)
  shown.forEach((c, i) => {
    if (c.relative <= 0) return
    const cy = y(c.sign * c.relative)
    ctx.fillStyle = c.sign < 0 ? p.caution : p.depth
    ctx.globalAlpha = i === 0 ? 1 : 0.6
    glyph(ctx, x(c.lag_frames), cy, c.sign)
    ctx.globalAlpha = 1
  })
  ctx.strokeStyle = p.land
  ctx.lineWidth = 2
  vertical(ctx, x(tried), f)
  ctx.lineWidth = 1
  if (under !== null) {
    ctx.strokeStyle = p.soft
    vertical(ctx, x(under), f)
  }
  ctx.restore()
}

function vertical(ctx: CanvasRenderingContext2D, x: number, f: Frame): void {
  ctx.beginPath()
  ctx.moveTo(Math.round(x) + 0.5, f.top)
  ctx.lineTo(Math.round(x) + 0.5, f.bottom)
  ctx.stroke()
}

/** Upright points up, opposed points down: never by colour alone. */
function glyph(ctx: CanvasRenderingContext2D, x: number, y: number, sign: number): void {
  const d = sign < 0 ? 1 : -1
  ctx.beginPath()
  ctx.moveTo(x - 5, y - d * 4)
  ctx.lineTo(x + 5, y - d * 4)
  ctx.lineTo(x, y + d * 5)
  ctx.fill()
}
