import { axisX, axisY, frameOf } from '../../plot/axes'
import type { Dot } from '../../plot/dots'
import type { Surface } from '../../plot/surface'
import { ticks } from '../../plot/ticks'
import type { Palette } from '../../shared/theme'
import { fixed } from '../../shared/units'
import type { Event } from './plan'

/** Strokes that sound together, before and after. */
export interface Shown {
  event: Event
  by: number
  left: boolean
  /** Softer than what is moved. */
  soft: boolean
}

/** How far off each is in ms, before and after it is moved; positive is late. */
export const offMs = (s: Shown, rateHz: number) => ((s.event.at - s.event.meant) / rateHz) * 1000
export const afterMs = (s: Shown, rateHz: number) => ((s.event.at + s.by - s.event.meant) / rateHz) * 1000

/** Which strokes one steps through. */
export type Which = 'all' | 'strong' | 'off'

/** Is a stroke one of those: the strongest are louder than a usual one of their source, off are those that are moved or left. */
export function isWanted(s: Shown, which: Which, only: string): boolean {
  const here = only === '' || s.event.tracks.includes(only)
  return here && (which === 'all' || (which === 'strong' ? s.event.level_db >= 0 : s.by !== 0 || s.left))
}

/** Fewest strokes of which that can be told. */
const ENOUGH = 12
/** Evenly spread ones have a median of half their largest deviation; those that keep a grid lie far under it. */
const SPREAD = 0.4

/** Do strokes lie anywhere between the places of a grid, as those of another tempo do? */
export function keepNoGrid(shown: Shown[], rateHz: number): boolean {
  const off = shown.map((s) => Math.abs(offMs(s, rateHz))).sort((a, b) => a - b)
  const at = (part: number) => off[Math.floor(part * (off.length - 1))]!
  return off.length >= ENOUGH && at(0.97) > 10 && at(0.5) > SPREAD * at(0.97)
}

/**
 * Deviation along the song: a ring where a stroke is, a dot where it goes (a square where it goes with what sounds before, a diamond
 * where a hand put it), and the way between. Those that are not stepped through are pale. Gives where they lie.
 */
export function paintStrokes(
  s: Surface,
  p: Palette,
  shown: Shown[],
  rateHz: number,
  { chosen, wanted }: { chosen: number | null; wanted: (s: Shown) => boolean },
): Dot[] {
  const { ctx } = s
  const f = frameOf(s, 48, 34)
  const [first, last] = [shown[0]?.event.at ?? 0, shown[shown.length - 1]?.event.at ?? rateHz]
  const wide = Math.max(last - first, rateHz / 2)
  const x = (frame: number) => f.left + 6 + ((frame - first) / wide) * (f.right - f.left - 12)
  const all = shown.map((e) => Math.abs(offMs(e, rateHz))).sort((a, b) => a - b)
  // One stray stroke does not make all others small: it is drawn at the edge.
  const most = Math.max(5, (all[Math.floor(0.97 * (all.length - 1))] ?? 5) * 1.15)
  const y = (ms: number) => f.top + ((most - Math.max(-most, Math.min(most, ms))) / (2 * most)) * (f.bottom - f.top)
  axisX(s, f, p, {
    values: ticks(first / rateHz, (first + wide) / rateHz, 9),
    at: (v) => x(v * rateHz),
    text: (v) => fixed(v, v % 1 ? 1 : 0),
    title: 's',
  })
  axisY(s, f, p, { values: ticks(-most, most, 7), at: y, text: (v) => fixed(v, most < 4 ? 1 : 0), title: 'late, ms' })
  ctx.strokeStyle = p.land
  ctx.lineWidth = 1.5
  ctx.beginPath()
  ctx.moveTo(f.left, y(0))
  ctx.lineTo(f.right, y(0))
  ctx.stroke()
  ctx.lineWidth = 1
  const dots: Dot[] = []
  shown.forEach((one, index) => {
    const at = x(one.event.at)
    const [before, after] = [y(offMs(one, rateHz)), y(afterMs(one, rateHz))]
    ctx.globalAlpha = wanted(one) ? 1 : 0.22
    ctx.strokeStyle = one.left ? p.caution : p.soft
    ctx.beginPath()
    ctx.arc(at, before, index === chosen ? 5 : 3.5, 0, 7)
    ctx.stroke()
    if (one.by !== 0) {
      ctx.strokeStyle = p.shoal
      ctx.beginPath()
      ctx.moveTo(at, before)
      ctx.lineTo(at, after)
      ctx.stroke()
    }
    if (!one.left && !one.soft) {
      const size = index === chosen ? 4.5 : 2.8
      ctx.fillStyle = one.event.rides ? p.caution : p.depth
      ctx.beginPath()
      if (one.event.rides) ctx.rect(at - size, after - size, 2 * size, 2 * size)
      else if (one.event.by_hand) {
        ctx.moveTo(at, after - 1.5 * size)
        ctx.lineTo(at + 1.5 * size, after)
        ctx.lineTo(at, after + 1.5 * size)
        ctx.lineTo(at - 1.5 * size, after)
      } else ctx.arc(at, after, size, 0, 7)
      ctx.fill()
    }
    ctx.globalAlpha = 1
    dots.push({ x: at, y: after, index })
  })
  return dots
}
