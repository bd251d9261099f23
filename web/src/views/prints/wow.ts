import { axisX, axisY, frameOf } from '../../plot/axes'
import type { Surface } from '../../plot/surface'
import { logTicks, ticks } from '../../plot/ticks'
import type { Palette } from '../../shared/theme'
import { fixed } from '../../shared/units'
import type { PrintView } from './usePrint'

const RANGE_HZ = [0.09, 22] as const

/** How the speed swings: RMS by sixths of an octave, with the periodic ones named. */
export function paintWow(s: Surface, p: Palette, view: PrintView): void {
  const { ctx } = s
  const f = frameOf(s, 52, 34)
  const percent = view.spectrum.map((b) => b.speed * 100)
  const high = Math.max(...percent, 1e-4) * 1.15
  const x = (hz: number) => f.left + (Math.log(hz / RANGE_HZ[0]) / Math.log(RANGE_HZ[1] / RANGE_HZ[0])) * (f.right - f.left)
  const y = (v: number) => f.bottom - (v / high) * (f.bottom - f.top)
  axisX(s, f, p, { values: logTicks(0.1, 20), at: x, text: (v) => String(Number(v.toPrecision(2))), title: 'Hz' })
  const values = ticks(0, high, 4)
  const places = values.length > 1 ? Math.max(0, -Math.floor(Math.log10(values[1]!) + 1e-9)) : 2
  axisY(s, f, p, { values, at: y, text: (v) => fixed(v, places), title: 'speed swings, % RMS' })
  const wide = (x(1 * 2 ** (1 / 6)) - x(1)) * 0.8
  ctx.fillStyle = p.depth
  view.spectrum.forEach((b, i) => ctx.fillRect(x(b.hz) - wide / 2, y(percent[i]!), wide, f.bottom - y(percent[i]!)))
  ctx.font = '11px "Source Sans 3", sans-serif'
  ctx.textAlign = 'center'
  ctx.textBaseline = 'bottom'
  ctx.fillStyle = p.ink
  let end = -Infinity
  const named = view.wow.slice(0, 3).sort((a, b) => a.hz - b.hz)
  for (const w of named) {
    const i = view.spectrum.findIndex((b) => Math.abs(Math.log2(b.hz / w.hz)) <= 1 / 12)
    const text = `${fixed(w.hz, 2)} Hz`
    const half = ctx.measureText(text).width / 2
    const at = Math.max(f.left + half, Math.min(f.right - half, x(w.hz)))
    if (i < 0 || at - half < end + 6) continue
    end = at + half
    ctx.fillText(text, at, y(percent[i]!) - 2)
  }
}
