import { axisX, axisY, frameOf, labels } from '../../../plot/axes'
import type { Surface } from '../../../plot/surface'
import { hertz, ticks } from '../../../plot/ticks'
import type { Palette } from '../../../shared/theme'
import { fixed } from '../../../shared/units'
import type { Found } from './plan'

/** A band that loses more is lost. */
const LOST_DB = -3
/** Of all energy; what lies under it is drawn fainter. */
const FAINT_DB = -45

/** How much later every copy is, along time: those on the left whole, those on the right dashed. */
export function paintDrifts(s: Surface, p: Palette, found: Found, rateHz: number): void {
  const { ctx } = s
  const f = frameOf(s, 40, 34)
  const count = found.copies[0]?.later_ms.length ?? 0
  const at = (n: number) => found.first + n * found.step_frames
  const [first, last] = [at(0), at(Math.max(1, count - 1))]
  const x = (frame: number) => f.left + ((frame - first) / Math.max(1, last - first)) * (f.right - f.left)
  const most = 1.1 * Math.max(1, ...found.copies.flatMap((c) => c.later_ms.map(Math.abs)))
  const y = (ms: number) => f.top + ((most - ms) / (2 * most)) * (f.bottom - f.top)
  axisX(s, f, p, {
    values: ticks(first / rateHz, last / rateHz, 9),
    at: (v) => x(v * rateHz),
    text: (v) => fixed(v, v % 1 ? 1 : 0),
    title: 's',
  })
  axisY(s, f, p, {
    values: ticks(-most, most, 6),
    at: y,
    text: (v) => fixed(v, most < 4 ? 1 : 0),
    title: 'later, ms · full line: left, dashed: right',
  })
  ctx.lineWidth = 1.5
  found.copies.forEach((copy, n) => {
    ctx.strokeStyle = n % 2 === 0 ? p.depth : p.land
    ctx.setLineDash(n % 2 === 0 ? [] : [6, 4])
    ctx.beginPath()
    copy.later_ms.forEach((ms, m) => ctx.lineTo(x(at(m)), y(ms)))
    ctx.stroke()
  })
  ctx.setLineDash([])
  ctx.lineWidth = 1
}

/** What every third-octave of the sum in mono gains or loses; what loses more than 3 dB stands out. */
export function paintMono(s: Surface, p: Palette, bands: Found['bands']): void {
  const { ctx } = s
  const f = frameOf(s, 40, 34)
  const [top, bottom] = [9, -9]
  const y = (db: number) => f.top + ((top - Math.max(bottom, Math.min(top, db))) / (top - bottom)) * (f.bottom - f.top)
  axisY(s, f, p, { values: [-6, -3, 0, 3, 6], at: y, text: (v) => fixed(v, 0), title: 'dB against unrelated copies' })
  const slot = (f.right - f.left) / Math.max(bands.length, 1)
  const write = labels(ctx)
  bands.forEach((b, i) => {
    const x = f.left + i * slot
    ctx.globalAlpha = b.level_db < FAINT_DB ? 0.4 : 1
    ctx.fillStyle = b.gain_db < LOST_DB ? p.caution : p.depth
    const [from, to] = [y(0), y(b.gain_db)]
    ctx.fillRect(x + slot * 0.15, Math.min(from, to), slot * 0.7, Math.max(1, Math.abs(to - from)))
    ctx.globalAlpha = 1
    if (i % 3 !== 0) return
    ctx.fillStyle = p.soft
    ctx.textAlign = 'center'
    ctx.textBaseline = 'top'
    write(hertz(b.hz), x + slot / 2, f.bottom + 3)
  })
  ctx.strokeStyle = p.caution
  ctx.setLineDash([4, 4])
  ctx.beginPath()
  ctx.moveTo(f.left, y(LOST_DB))
  ctx.lineTo(f.right, y(LOST_DB))
  ctx.stroke()
  ctx.setLineDash([])
  ctx.fillStyle = p.soft
  ctx.textAlign = 'right'
  ctx.textBaseline = 'top'
  ctx.fillText('Hz', f.right, f.bottom + 16)
}
