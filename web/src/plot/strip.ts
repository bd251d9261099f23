import type { Palette } from '../shared/theme'
import { fixed } from '../shared/units'
import { axisX, axisY, frameOf } from './axes'
import type { Surface } from './surface'
import { ticks } from './ticks'

/** Correlation along the session: full band filled, below 200 Hz a line; gaps where a channel is silent. */
export function paintStrip(
  s: Surface,
  p: Palette,
  strip: { full: readonly (number | null | undefined)[]; low: readonly (number | null | undefined)[]; stepS: number },
  atS: number | null,
): void {
  const { ctx } = s
  const f = frameOf(s, 40, 30)
  const seconds = Math.max(strip.full.length * strip.stepS, strip.stepS)
  const x = (t: number) => f.left + (t / seconds) * (f.right - f.left)
  const y = (c: number) => f.top + ((1 - c) / 2) * (f.bottom - f.top)
  axisX(s, f, p, { values: ticks(0, seconds, 8), at: x, text: (v) => fixed(v, v % 1 ? 1 : 0), title: 's' })
  axisY(s, f, p, { values: [-1, -0.5, 0, 0.5, 1], at: y, text: (v) => fixed(v, 1), title: 'correlation' })
  const w = Math.max(x(strip.stepS) - x(0) - 0.3, 0.7)
  strip.full.forEach((c, i) => {
    if (c === null || c === undefined) return
    ctx.fillStyle = c < 0 ? p.caution : p.depth
    ctx.globalAlpha = 0.75
    ctx.fillRect(x(i * strip.stepS), Math.min(y(c), y(0)), w, Math.max(Math.abs(y(c) - y(0)), 1))
  })
  ctx.globalAlpha = 1
  ctx.strokeStyle = p.ink
  ctx.beginPath()
  let drawn = false
  calmed(strip.low).forEach((c, i) => {
    if (c === null || c === undefined) drawn = false
    else if (drawn) ctx.lineTo(x((i + 0.5) * strip.stepS), y(c))
    else {
      ctx.moveTo(x((i + 0.5) * strip.stepS), y(c))
      drawn = true
    }
  })
  ctx.stroke()
  if (atS !== null && atS >= 0 && atS <= seconds) {
    ctx.strokeStyle = p.land
    ctx.lineWidth = 2
    ctx.beginPath()
    ctx.moveTo(x(atS), f.top)
    ctx.lineTo(x(atS), f.bottom)
    ctx.stroke()
    ctx.lineWidth = 1
  }
}

/** Mean of five points: about a second, so that the course of the lows is seen and not each note. */
function calmed(values: readonly (number | null | undefined)[]): (number | null)[] {
  return values.map((_, i) => {
    const near = values.slice(Math.max(0, i - 2), i + 3).filter((v): v is number => typeof v === 'number')
    return near.length === 0 ? null : near.reduce((a, b) => a + b, 0) / near.length
  })
}
