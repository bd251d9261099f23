import type { Palette } from '../shared/theme'
import { fixed } from '../shared/units'
import { axisY, frameOf, labels } from './axes'
import type { Surface } from './surface'
import { hertz } from './ticks'

export interface FoldBand {
  hz: number
  gain_db: number
  level_db: number
}

/** What a fold-down keeps of each third-octave: stereo light, mono dark. */
export function paintFold(s: Surface, p: Palette, stereo: readonly FoldBand[], mono: readonly FoldBand[]): void {
  const { ctx } = s
  const f = frameOf(s, 40, 30)
  const [top, bottom] = [4, -12]
  const y = (db: number) => f.top + ((top - Math.max(Math.min(db, top), bottom)) / (top - bottom)) * (f.bottom - f.top)
  axisY(s, f, p, { values: [-12, -9, -6, -3, 0, 3], at: y, text: (v) => fixed(v, 0), title: 'dB against unrelated' })
  const slot = (f.right - f.left) / Math.max(mono.length, 1)
  ctx.font = '11px "Source Sans 3", sans-serif'
  ctx.textAlign = 'center'
  ctx.textBaseline = 'top'
  const write = labels(ctx)
  mono.forEach((b, i) => {
    const x = f.left + i * slot
    const beside = stereo.find((q) => q.hz === b.hz)
    const faint = b.level_db < -45 ? 0.35 : 1
    const bar = (from: number, db: number, alpha: number) => {
      ctx.globalAlpha = alpha * faint
      ctx.fillStyle = db < -1 ? p.caution : p.depth
      ctx.fillRect(x + slot * from, Math.min(y(db), y(0)), slot * 0.36, Math.max(Math.abs(y(db) - y(0)), 1))
    }
    if (beside) bar(0.1, beside.gain_db, 0.45)
    bar(0.5, b.gain_db, 1)
    ctx.globalAlpha = 1
    if (i % 3 === 0) {
      ctx.fillStyle = p.soft
      write(hertz(b.hz), x + slot / 2, f.bottom + 3)
    }
  })
}
