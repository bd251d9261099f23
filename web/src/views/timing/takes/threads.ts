import { axisX, axisY, frameOf } from '../../../plot/axes'
import type { Dot } from '../../../plot/dots'
import type { Surface } from '../../../plot/surface'
import { ticks } from '../../../plot/ticks'
import type { Palette } from '../../../shared/theme'
import { fixed } from '../../../shared/units'
import { afterMs, type Chord, type Flag } from './plan'

/** What is drawn of two takes. */
export interface Takes {
  chords: readonly Chord[]
  flagged: readonly { flag: Flag; meant: boolean }[]
  slackMs: number
  rateHz: number
  chosen: number | null
  names: readonly [string, string]
}

/** Height of the threads, in CSS pixels. */
const THREADS = 74
/** A thread leans by so many pixels a millisecond, at most by so many. */
const LEAN = 0.5
const LEAN_MOST = 46

/**
 * The first take above, the second below, every chord joined by a thread that leans by the difference; under it the difference along the song,
 * faint as recorded, full as it is with the passages moved. Gives where the chords lie.
 */
export function paintTakes(s: Surface, p: Palette, t: Takes): Dot[] {
  const { ctx } = s
  const all = { ...frameOf(s, 48, 34), top: 18 }
  const f = { ...all, top: all.top + THREADS + 20 }
  const [first, last] = [t.chords[0]?.at[0] ?? 0, t.chords[t.chords.length - 1]?.at[0] ?? t.rateHz]
  const wide = Math.max(last - first, t.rateHz)
  const x = (frame: number) => f.left + 8 + ((frame - first) / wide) * (f.right - f.left - 16)
  const sizes = t.chords.map((c) => Math.abs(c.apart_ms)).sort((a, b) => a - b)
  const most = Math.max(1.4 * t.slackMs, (sizes[Math.floor(0.99 * (sizes.length - 1))] ?? 5) * 1.15)
  const y = (ms: number) => f.top + ((most - Math.max(-most, Math.min(most, ms))) / (2 * most)) * (f.bottom - f.top)
  for (const { flag, meant } of t.flagged) {
    const [from, to] = [x(flag.range[0]!) - 4, x(flag.range[1]!) + 4]
    ctx.fillStyle = meant ? p.shoal : p.land
    ctx.globalAlpha = meant ? 0.5 : 0.3
    ctx.fillRect(from, all.top, to - from, f.bottom - all.top)
    ctx.globalAlpha = 1
  }
  axisX(s, f, p, {
    values: ticks(first / t.rateHz, (first + wide) / t.rateHz, 9),
    at: (v) => x(v * t.rateHz),
    text: (v) => fixed(v, v % 1 ? 1 : 0),
    title: 's',
  })
  axisY(s, f, p, {
    values: ticks(-most, most, 7),
    at: y,
    text: (v) => fixed(v, most < 4 ? 1 : 0),
    title: `${t.names[1]} later than in the median, ms`,
  })
  ctx.fillStyle = p.shoal
  ctx.globalAlpha = 0.6
  ctx.fillRect(f.left, y(t.slackMs), f.right - f.left, y(-t.slackMs) - y(t.slackMs))
  ctx.globalAlpha = 1
  ctx.strokeStyle = p.soft
  for (const level of [all.top, all.top + THREADS]) {
    ctx.beginPath()
    ctx.moveTo(f.left, level)
    ctx.lineTo(f.right, level)
    ctx.stroke()
  }
  ctx.fillStyle = p.ink
  ctx.textAlign = 'left'
  ctx.textBaseline = 'bottom'
  ctx.fillText(t.names[0], f.left, all.top - 2)
  ctx.textBaseline = 'top'
  ctx.fillText(t.names[1], f.left, all.top + THREADS + 2)
  const lean = (ms: number) => Math.max(-LEAN_MOST, Math.min(LEAN_MOST, LEAN * ms))
  const dots: Dot[] = []
  t.chords.forEach((c, index) => {
    const [at, before, after] = [x(c.at[0]!), c.apart_ms, afterMs(c, t.rateHz)]
    const off = Math.abs(after) > t.slackMs
    ctx.globalAlpha = c.verdict === 'undecided' ? 0.25 : 1
    ctx.strokeStyle = off ? p.caution : p.depth
    ctx.lineWidth = index === t.chosen ? 2.5 : 1
    ctx.beginPath()
    ctx.moveTo(at, all.top)
    ctx.lineTo(at + lean(after), all.top + THREADS)
    ctx.stroke()
    ctx.lineWidth = 1
    const size = index === t.chosen ? 5 : 3
    if (after !== before) {
      ctx.strokeStyle = p.soft
      ctx.beginPath()
      ctx.arc(at, y(before), size, 0, 7)
      ctx.stroke()
    }
    ctx.fillStyle = off ? p.caution : p.depth
    ctx.beginPath()
    ctx.arc(at, y(after), size, 0, 7)
    // Hollow where it is not told for sure.
    if (c.verdict === 'solid') ctx.fill()
    else {
      ctx.strokeStyle = ctx.fillStyle
      ctx.stroke()
    }
    ctx.globalAlpha = 1
    dots.push({ x: at, y: y(after), index })
  })
  return dots
}
