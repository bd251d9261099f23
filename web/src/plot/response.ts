import type { BandGain, PairMeasurement } from '../api/client'
import { axisX, axisY, frameOf, labels } from './axes'
import type { Surface } from './surface'
import { hertz, logTicks } from './ticks'
import type { Palette } from '../shared/theme'
import { fixed } from '../shared/units'

const LOW = 25
const HIGH = 20000

/** What of the phase is drawn: as it runs, with the lag taken out, or wrapped to a turn where no lag fits. */
export type Phase = 'whole' | 'taken' | 'wrapped'

/** Phase against frequency as recorded, faint where coherence is low, with the line of the fitted delay. */
export function paintPhase(s: Surface, p: Palette, m: PairMeasurement, what: Phase): void {
  const taken = what !== 'whole'
  const rest = what === 'taken' && m.sign < 0 ? 180 : 0
  const { ctx } = s
  const f = frameOf(s, 44, 34)
  const x = (hz: number) => f.left + (Math.log(hz / LOW) / Math.log(HIGH / LOW)) * (f.right - f.left)
  // With the delay taken out the rest is near 0 or 180; the whole phase runs over many turns, so its axis follows it.
  const value = (i: number) => m.phase[i]!.residual_deg + (what === 'taken' ? 0 : m.phase[i]!.delay_deg)
  let low = taken ? -270 : 0
  let high = taken ? 270 : 90
  if (!taken) {
    m.phase.forEach((q, i) => {
      if (q.coherence < 0.3) return
      low = Math.min(low, value(i))
      high = Math.max(high, value(i))
    })
  }
  const y = (deg: number) => f.top + ((high - deg) / (high - low)) * (f.bottom - f.top)
  axisX(s, f, p, { values: logTicks(LOW, HIGH), at: x, text: hertz, title: 'Hz' })
  const every = taken ? 90 : niceTurn(high - low)
  const values: number[] = []
  for (let v = Math.ceil(low / every) * every; v <= high; v += every) values.push(v)
  const title = { whole: 'phase, degrees', taken: 'phase with the lag taken out, degrees', wrapped: 'phase within a turn, degrees' }[what]
  axisY(s, f, p, { values, at: y, text: (v) => fixed(v, 0), title })
  ctx.save()
  ctx.beginPath()
  ctx.rect(f.left, f.top, f.right - f.left, f.bottom - f.top)
  ctx.clip()
  ctx.strokeStyle = p.land
  ctx.lineWidth = 1.5
  ctx.beginPath()
  if (what === 'taken') {
    ctx.moveTo(f.left, y(rest))
    ctx.lineTo(f.right, y(rest))
  } else if (what === 'whole') m.phase.forEach((q) => ctx.lineTo(x(q.hz), y(q.delay_deg + (m.sign < 0 ? 180 : 0))))
  ctx.stroke()
  ctx.lineWidth = 1
  m.phase.forEach((q, i) => {
    let v = value(i)
    // Degrees that differ by whole turns are the same phase.
    if (taken) v -= 360 * Math.round((v - rest) / 360)
    ctx.globalAlpha = Math.max(0.15, Math.min(1, q.coherence * 1.2))
    ctx.fillStyle = p.depth
    ctx.fillRect(x(q.hz) - 2, y(v) - 2, 4, 4)
  })
  ctx.globalAlpha = 1
  ctx.restore()
}

function niceTurn(spanDeg: number): number {
  for (const every of [90, 180, 360, 720, 1800, 3600, 7200, 18000, 36000]) if (spanDeg / every <= 6) return every
  return 72000
}

/** Sum gain by third-octave: as recorded light, as corrected dark, best reachable a line. */
export function paintSum(s: Surface, p: Palette, bands: BandGain[]): void {
  const { ctx } = s
  const f = frameOf(s, 40, 34)
  const [top, bottom] = [4, -8]
  const y = (db: number) => f.top + ((top - Math.max(db, bottom)) / (top - bottom)) * (f.bottom - f.top)
  const slot = (f.right - f.left) / Math.max(bands.length, 1)
  axisY(s, f, p, { values: [-6, -3, 0, 3], at: y, text: (v) => fixed(v, 0), title: 'dB against unrelated' })
  const write = labels(ctx)
  bands.forEach((b, i) => {
    const x = f.left + i * slot
    // Bands far below the rest matter little; they are drawn fainter.
    ctx.globalAlpha = b.level_db < -45 ? 0.35 : 1
    bar(ctx, x + slot * 0.12, slot * 0.34, y(0), y(b.recorded_db), b.recorded_db < 0 ? p.caution : p.depth, 0.4)
    bar(ctx, x + slot * 0.5, slot * 0.34, y(0), y(b.corrected_db), b.corrected_db < 0 ? p.caution : p.depth, 1)
    ctx.strokeStyle = p.ink
    ctx.beginPath()
    ctx.moveTo(x + slot * 0.06, y(b.best_db))
    ctx.lineTo(x + slot * 0.92, y(b.best_db))
    ctx.stroke()
    ctx.globalAlpha = 1
    if (i % 3 === 0) {
      ctx.fillStyle = p.soft
      ctx.textAlign = 'center'
      ctx.textBaseline = 'top'
      write(hertz(b.hz), x + slot / 2, f.bottom + 3)
    }
  })
  ctx.textAlign = 'right'
  ctx.fillStyle = p.soft
  ctx.fillText(s.width < 420 ? 'Hz · line: best' : 'Hz · light: as recorded, dark: as corrected, line: best', f.right, f.bottom + 16)
}

function bar(ctx: CanvasRenderingContext2D, x: number, width: number, from: number, to: number, ink: string, alpha: number): void {
  const before = ctx.globalAlpha
  ctx.globalAlpha = before * alpha
  ctx.fillStyle = ink
  ctx.fillRect(x, Math.min(from, to), width, Math.max(Math.abs(from - to), 1))
  ctx.globalAlpha = before
}
