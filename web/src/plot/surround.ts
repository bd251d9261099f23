import type { Palette } from '../shared/theme'
import { fixed } from '../shared/units'
import { energyAround, GATE_DB } from './around'
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

/** What is seen of a moment beside the channels themselves. */
export interface Moment {
  /** Where the whole sits, to the right and ahead, the newest last. */
  trail: readonly (readonly [number, number])[]
  /** Directions of two channels that are opposed, and have been for a while. */
  opposed: readonly (readonly [number, number])[]
}

/** Degrees from one ray to the next. */
const RAY = 3

/** Level by direction, seen from above: rings 12 dB apart under the loudest channel, rays all round between the channels. Channels without
 * direction stand in the middle. */
export function paintSurround(s: Surface, p: Palette, channels: readonly Around[], moment: Moment): void {
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
  const placed = channels.filter((c) => c.name !== 'LFE')
  const toward = (degrees: number) => ((degrees - 90) * Math.PI) / 180
  ctx.strokeStyle = p.shoal
  ctx.lineWidth = 2
  energyAround(placed, RAY).forEach((e, k) => {
    if (e <= 0) return
    const [turn, length] = [toward(k * RAY), reach(10 * Math.log10(e), loudest) * radius]
    ctx.beginPath()
    ctx.moveTo(cx, cy)
    ctx.lineTo(cx + Math.cos(turn) * length, cy + Math.sin(turn) * length)
    ctx.stroke()
  })
  ctx.strokeStyle = p.caution
  ctx.lineWidth = 4
  for (const [a, b] of moment.opposed) {
    const gap = (((b - a) % 360) + 360) % 360
    const [from, to] = gap <= 180 ? [a, a + gap] : [b, b + 360 - gap]
    ctx.beginPath()
    ctx.arc(cx, cy, radius, toward(from), toward(to))
    ctx.stroke()
  }
  ctx.lineWidth = 1
  for (const c of channels) {
    const turn = ((c.degrees - 90) * Math.PI) / 180
    const [dx, dy] = [Math.cos(turn), Math.sin(turn)]
    const ink = c.alarmed ? p.caution : p.depth
    const lfe = c.name === 'LFE'
    const length = reach(c.rmsDb, loudest) * radius
    if (!lfe && (c.rmsDb ?? -200) >= GATE_DB) {
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
  const point = ([right, ahead]: readonly [number, number]) => [cx + right * radius, cy - ahead * radius] as const
  moment.trail.forEach((at, i) => {
    const [x, y] = point(at)
    const newest = i === moment.trail.length - 1
    ctx.globalAlpha = newest ? 1 : (0.6 * (i + 1)) / moment.trail.length
    ctx.fillStyle = newest ? p.ink : p.land
    ctx.beginPath()
    ctx.arc(x, y, newest ? 5 : 2, 0, Math.PI * 2)
    ctx.fill()
  })
  ctx.globalAlpha = 1
}
