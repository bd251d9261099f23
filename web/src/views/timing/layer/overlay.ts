import { axisX, frameOf } from '../../../plot/axes'
import type { Surface } from '../../../plot/surface'
import { ticks } from '../../../plot/ticks'
import type { Palette } from '../../../shared/theme'
import { fixed } from '../../../shared/units'

/** A waveform by session frame; undefined while its samples are on their way. */
export type Wave = (frame: number) => number | undefined

export interface Overlay {
  /** Session frame of the source's hit: 0 of the axis. */
  at: number
  /** Frames before and after it that are shown. */
  before: number
  after: number
  source: Wave
  /** As recorded, and as it is set. */
  layer: Wave
  set: Wave
}

/** A sample between two: what is drawn is a line from one to the next. */
export function between(samples: (own: number) => number | undefined, own: number): number | undefined {
  const first = Math.floor(own)
  const [a, b] = [samples(first), samples(first + 1)]
  return a === undefined || b === undefined ? undefined : a + (own - first) * (b - a)
}

/** A hit of the source with its double, before and after it is set: the source filled, the layer dotted as recorded, a line as set. */
export function paintOverlay(s: Surface, p: Palette, rateHz: number, o: Overlay): void {
  const { ctx } = s
  const f = { ...frameOf(s, 10, 30), left: 10 }
  const ms = (frame: number) => (1000 * (frame - o.at)) / rateHz
  const [first, last] = [ms(o.at - o.before), ms(o.at + o.after)]
  const x = (v: number) => f.left + ((v - first) / (last - first)) * (f.right - f.left)
  axisX(s, f, p, {
    values: ticks(first, last, 7),
    at: x,
    text: (v) => fixed(v, last - first < 8 ? 1 : 0),
    title: 'ms from the source’s hit',
  })
  const middle = (f.top + f.bottom) / 2
  ctx.strokeStyle = p.land
  ctx.beginPath()
  ctx.moveTo(x(0), f.top)
  ctx.lineTo(x(0), f.bottom)
  ctx.stroke()
  const width = Math.max(1, Math.round(f.right - f.left))
  const curve = (wave: Wave) => {
    const values = Array.from({ length: width + 1 }, (_, n) => wave(o.at - o.before + ((o.before + o.after) * n) / width))
    // Each by its own largest: a layer is seldom as loud as its source.
    const most = values.reduce<number>((m, v) => Math.max(m, Math.abs(v ?? 0)), 1e-9)
    return values.map((v) => (v === undefined ? undefined : middle - (v / most) * ((f.bottom - f.top) / 2 - 3)))
  }
  const path = (ys: (number | undefined)[]) => {
    ctx.beginPath()
    let drawing = false
    ys.forEach((y, n) => {
      if (y === undefined) drawing = false
      else if (drawing) ctx.lineTo(f.left + n, y)
      else {
        ctx.moveTo(f.left + n, y)
        drawing = true
      }
    })
  }
  const source = curve(o.source)
  ctx.fillStyle = p.shoal
  ctx.beginPath()
  ctx.moveTo(f.left, middle)
  source.forEach((y, n) => ctx.lineTo(f.left + n, y ?? middle))
  ctx.lineTo(f.right, middle)
  ctx.fill()
  ctx.strokeStyle = p.soft
  ctx.setLineDash([2, 3])
  path(curve(o.layer))
  ctx.stroke()
  ctx.setLineDash([])
  ctx.strokeStyle = p.depth
  ctx.lineWidth = 1.5
  path(curve(o.set))
  ctx.stroke()
  ctx.lineWidth = 1
}
