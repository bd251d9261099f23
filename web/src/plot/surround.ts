import type { Palette } from '../shared/theme'
import { fixed } from '../shared/units'
import type { Surface } from './surface'

/** A channel of a recording of several: where it is to sound, and how loud it is. */
export interface Around {
  name: string
  /** 0 ahead, positive to the right. */
  degrees: number
  /** RMS in dBFS; null for silence. */
  rmsDb: number | null
  /** Opposed to the others. */
  alarmed: boolean
}

/** Levels from here up are drawn, in dB under the loudest channel. */
const DEPTH_DB = 36

/** Where on the circle a level is drawn: its share of the radius. */
export function reach(rmsDb: number | null, loudestDb: number): number {
  if (rmsDb === null) return 0
  return Math.min(Math.max(1 - (loudestDb - rmsDb) / DEPTH_DB, 0.04), 1)
}

/** Level by direction, seen from above: rings 12 dB apart under the loudest channel. Channels without direction stand in the middle. */
export function paintSurround(s: Surface, p: Palette, channels: readonly Around[]): void {
  const { ctx, width, height } = s
  const radius = Math.max(Math.min(width / 2 - 58, height / 2 - 24), 10)
  const [cx, cy] = [width / 2, height / 2]
  const loudest = Math.max(-120, ...channels.map((c) => c.rmsDb ?? -120))
  ctx.font = '11px "Source Code Pro", monospace'
  ctx.textBaseline = 'middle'
  ctx.strokeStyle = p.line
  for (const under of [0, 12, 24]) {
    ctx.beginPath()
    ctx.arc(cx, cy, radius * (1 - under / DEPTH_DB), 0, Math.PI * 2)
    ctx.stroke()
  }
  for (const c of channels) {
    const turn = ((c.degrees - 90) * Math.PI) / 180
    const [dx, dy] = [Math.cos(turn), Math.sin(turn)]
    const ink = c.alarmed ? p.caution : p.depth
    const lfe = c.name === 'LFE'
    const length = reach(c.rmsDb, loudest) * radius
    if (!lfe) {
      ctx.strokeStyle = ink
      ctx.lineWidth = 7
      ctx.beginPath()
      ctx.moveTo(cx, cy)
      ctx.lineTo(cx + dx * length, cy + dy * length)
      ctx.stroke()
      ctx.lineWidth = 1
    }
    ctx.fillStyle = c.alarmed ? p.caution : p.ink
    ctx.textAlign = lfe || Math.abs(dx) < 0.2 ? 'center' : dx < 0 ? 'right' : 'left'
    const text = `${c.alarmed ? '\u25bc ' : ''}${c.name} ${c.rmsDb === null ? 'silent' : fixed(c.rmsDb, 1)}`
    const [x, y] = lfe ? [cx, cy + radius + 13] : [cx + dx * (radius + 7), cy + dy * (radius + 11)]
    ctx.fillText(text, x, y)
  }
}
