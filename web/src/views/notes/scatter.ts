import { axisX, axisY, frameOf, type Frame } from '../../plot/axes'
import type { Dot } from '../../plot/dots'
import type { Surface } from '../../plot/surface'
import { ticks } from '../../plot/ticks'
import type { Palette } from '../../shared/theme'
import { fixed } from '../../shared/units'
import type { NotesView } from './useNotes'

/** How late every note is against when it is written: one delay is a line, playing scatters. Gives where the dots lie. */
export function paintScatter(
  s: Surface,
  p: Palette,
  view: NotesView,
  rateHz: number,
  chosen: number | null,
): { frame: Frame; dots: Dot[] } {
  const { ctx } = s
  const f = frameOf(s, 48, 34)
  const told = view.notes.map((n) => n.late_ms).filter((v): v is number => v !== null && v !== undefined)
  const [first, last] = [view.notes[0]?.frame ?? 0, view.notes[view.notes.length - 1]?.frame ?? rateHz]
  const wide = Math.max(last - first, rateHz / 2)
  const x = (frame: number) => f.left + 6 + ((frame - first) / wide) * (f.right - f.left - 12)
  const middle = view.latency_ms ?? 0
  // Both the notes and the line of no delay are in sight, but one stray note does not make all others small.
  const sorted = [...told].sort((a, b) => a - b)
  const part = (q: number) => sorted[Math.floor(q * (sorted.length - 1))] ?? 0
  const room = Math.max(4, (part(0.97) - part(0.03)) * 0.4)
  const low = Math.min(part(0.03), middle) - room
  const high = Math.max(part(0.97), middle) + room
  const y = (ms: number) => f.top + ((high - Math.max(low, Math.min(high, ms))) / (high - low)) * (f.bottom - f.top)
  const seconds = ticks(first / rateHz, (first + wide) / rateHz, 9)
  axisX(s, f, p, { values: seconds, at: (v) => x(v * rateHz), text: (v) => fixed(v, v % 1 ? 1 : 0), title: 's' })
  const each = ticks(low, high, 7)
  const places = each.length > 1 && each[1]! - each[0]! < 1 ? 1 : 0
  axisY(s, f, p, { values: each, at: y, text: (v) => fixed(v, places), title: 'begins later than written, ms' })
  if (view.latency_ms !== null && view.latency_ms !== undefined) {
    const half = view.spread_ms ?? 0
    ctx.globalAlpha = 0.35
    ctx.fillStyle = p.shoal
    ctx.fillRect(f.left, y(middle + half), f.right - f.left, Math.max(2, y(middle - half) - y(middle + half)))
    ctx.globalAlpha = 1
    ctx.strokeStyle = p.land
    ctx.lineWidth = 2
    ctx.beginPath()
    ctx.moveTo(f.left, y(middle))
    ctx.lineTo(f.right, y(middle))
    ctx.stroke()
    ctx.lineWidth = 1
  }
  const dots: Dot[] = []
  view.notes.forEach((n, i) => {
    const at = x(n.frame)
    if (n.late_ms === null || n.late_ms === undefined) {
      // Not told: a tick at the foot.
      ctx.strokeStyle = p.soft
      ctx.beginPath()
      ctx.moveTo(at, f.bottom - 6)
      ctx.lineTo(at, f.bottom)
      ctx.stroke()
      return
    }
    const up = y(n.late_ms)
    const away = n.late_ms < low || n.late_ms > high
    dots.push({ x: at, y: up, index: i })
    ctx.fillStyle = away ? p.caution : p.depth
    ctx.beginPath()
    if (away) {
      // Beyond the plot: an arrow towards where it lies.
      const by = n.late_ms > high ? 1 : -1
      ctx.moveTo(at, up - 5 * by)
      ctx.lineTo(at - 4, up + 2 * by)
      ctx.lineTo(at + 4, up + 2 * by)
    } else ctx.arc(at, up, i === chosen ? 5 : 3, 0, 7)
    ctx.fill()
  })
  return { frame: f, dots }
}

const NAMES = ['C', 'C♯', 'D', 'E♭', 'E', 'F', 'F♯', 'G', 'A♭', 'A', 'B♭', 'B'] as const

/** The name of a key: 60 is C4. */
export function keyName(key: number): string {
  return `${NAMES[((key % 12) + 12) % 12]}${Math.floor(key / 12) - 1}`
}
