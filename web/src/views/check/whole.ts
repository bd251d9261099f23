import type { Schemas } from '../../api/client'
import type { Surface } from '../../plot/surface'
import type { Palette } from '../../shared/theme'

type Band = Schemas['WholeBand']

/** Bars of what the sum of everything keeps: as recorded, as corrected, and a line for all advice taken. */
export function paintWhole(s: Surface, p: Palette, bands: Band[]): void {
  const { ctx, width, height } = s
  const [left, right, top, bottom] = [44, 10, 6, 20]
  const values = bands.flatMap((b) => [b.recorded_db, b.corrected_db, b.advised_db])
  const high = Math.max(2, Math.ceil(Math.max(...values)))
  const low = Math.min(-2, Math.floor(Math.min(...values)))
  const y = (db: number) => top + ((high - db) / (high - low)) * (height - top - bottom)
  const step = (width - left - right) / bands.length
  ctx.font = "11px 'Source Code Pro', monospace"
  ctx.textBaseline = 'middle'
  ctx.textAlign = 'right'
  const every = high - low > 9 ? 4 : 2
  for (let db = Math.ceil(low / every) * every; db <= high; db += every) {
    ctx.strokeStyle = p.line
    ctx.beginPath()
    ctx.moveTo(left, Math.round(y(db)) + 0.5)
    ctx.lineTo(width - right, Math.round(y(db)) + 0.5)
    ctx.stroke()
    ctx.fillStyle = p.soft
    ctx.fillText(`${db > 0 ? '+' : db < 0 ? '\u2212' : ''}${Math.abs(db)} dB`, left - 4, y(db))
  }
  ctx.textAlign = 'center'
  bands.forEach((b, i) => {
    const x = left + i * step
    const bar = (db: number, at: number, colour: string) => {
      ctx.fillStyle = colour
      ctx.fillRect(x + at * step, Math.min(y(db), y(0)), step * 0.32, Math.max(Math.abs(y(db) - y(0)), 1))
    }
    bar(b.recorded_db, 0.14, b.recorded_db < 0 ? `color-mix(in srgb, ${p.caution} 35%, ${p.panel})` : p.shoal)
    bar(b.corrected_db, 0.5, b.corrected_db < 0 ? p.caution : p.depth)
    ctx.strokeStyle = p.ink
    ctx.beginPath()
    ctx.moveTo(x + step * 0.1, Math.round(y(b.advised_db)) + 0.5)
    ctx.lineTo(x + step * 0.86, Math.round(y(b.advised_db)) + 0.5)
    ctx.stroke()
    if (i % (step < 26 ? 3 : 2) === 0) {
      ctx.fillStyle = p.soft
      ctx.fillText(b.hz >= 1000 ? `${b.hz / 1000}k` : `${b.hz}`, x + step / 2, height - 9)
    }
  })
}
