import type { Palette } from '../shared/theme'
import { fixed } from '../shared/units'
import { axisX, axisY, frameOf } from './axes'
import type { Dot } from './dots'
import type { Surface } from './surface'
import { ticks } from './ticks'

/** A moment that two tracks share. */
export interface Thread {
  /** Session frame in the first. */
  at: number
  /** By how many ms the second is later, as it is and as it is planned. */
  before: number
  after: number
  verdict: 'solid' | 'likely' | 'undecided'
  /** Set by hand. */
  pinned?: boolean
  /** It stands out; where it is not said, what lies beyond the slack does. */
  off?: boolean
}

/** A stretch behind the threads, in session frames. */
export interface Shade {
  from: number
  to: number
  /** Nothing is to be done about it. */
  settled: boolean
}

/** What is drawn of two tracks. */
export interface Threads {
  all: readonly Thread[]
  shaded: readonly Shade[]
  slackMs: number
  rateHz: number
  chosen: number | null
  names: readonly [string, string]
  /** What the axis of the differences says. */
  title: string
}

/** Height of the threads, in CSS pixels. */
const THREADS = 74
/** A thread leans by so many pixels a millisecond, at most by so many. */
const LEAN = 0.5
const LEAN_MOST = 46

/**
 * The first track above, the second below, every moment joined by a thread that leans by the difference; under it the difference along the
 * song, faint as it is, full as it is planned. Gives where the moments lie.
 */
export function paintThreads(s: Surface, p: Palette, t: Threads): Dot[] {
  const { ctx } = s
  const all = { ...frameOf(s, 48, 34), top: 18 }
  const f = { ...all, top: all.top + THREADS + 20 }
  const [first, last] = [t.all[0]?.at ?? 0, t.all[t.all.length - 1]?.at ?? t.rateHz]
  const wide = Math.max(last - first, t.rateHz)
  const x = (frame: number) => f.left + 8 + ((frame - first) / wide) * (f.right - f.left - 16)
  const sizes = t.all.map((c) => Math.abs(c.before)).sort((a, b) => a - b)
  const most = Math.max(1.4 * t.slackMs, (sizes[Math.floor(0.99 * (sizes.length - 1))] ?? 5) * 1.15)
  const y = (ms: number) => f.top + ((most - Math.max(-most, Math.min(most, ms))) / (2 * most)) * (f.bottom - f.top)
  for (const shade of t.shaded) {
    const [from, to] = [Math.max(f.left, x(shade.from) - 4), Math.min(f.right, x(shade.to) + 4)]
    ctx.fillStyle = shade.settled ? p.shoal : p.land
    ctx.globalAlpha = shade.settled ? 0.5 : 0.3
    ctx.fillRect(from, all.top, Math.max(0, to - from), f.bottom - all.top)
    ctx.globalAlpha = 1
  }
  axisX(s, f, p, {
    values: ticks(first / t.rateHz, (first + wide) / t.rateHz, 9),
    at: (v) => x(v * t.rateHz),
    text: (v) => fixed(v, v % 1 ? 1 : 0),
    title: 's',
  })
  axisY(s, f, p, { values: ticks(-most, most, 7), at: y, text: (v) => fixed(v, most < 4 ? 1 : 0), title: t.title })
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
  return t.all.map((c, index) => {
    const at = x(c.at)
    const off = c.off ?? Math.abs(c.after) > t.slackMs
    ctx.globalAlpha = c.verdict === 'undecided' ? 0.25 : 1
    ctx.strokeStyle = off ? p.caution : p.depth
    ctx.lineWidth = index === t.chosen ? 2.5 : 1
    ctx.beginPath()
    ctx.moveTo(at, all.top)
    ctx.lineTo(at + lean(c.after), all.top + THREADS)
    ctx.stroke()
    ctx.lineWidth = 1
    const size = index === t.chosen ? 5 : 3
    if (c.after !== c.before) {
      ctx.strokeStyle = p.soft
      ctx.beginPath()
      ctx.arc(at, y(c.before), size, 0, 7)
      ctx.stroke()
    }
    ctx.fillStyle = off ? p.caution : p.depth
    ctx.beginPath()
    if (c.pinned) ctx.rect(at - size, y(c.after) - size, 2 * size, 2 * size)
    else ctx.arc(at, y(c.after), size, 0, 7)
    // Hollow where it is not told for sure.
    if (c.verdict === 'solid' || c.pinned) ctx.fill()
    else {
      ctx.strokeStyle = ctx.fillStyle
      ctx.stroke()
    }
    ctx.globalAlpha = 1
    return { x: at, y: y(c.after), index }
  })
}
