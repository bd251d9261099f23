import { clock } from '../shared/units'
import type { Palette } from '../shared/theme'
import { step } from '../plot/ticks'
import type { Surface } from '../plot/surface'
import { framesAPoint, levelFor, POINTS, SAMPLES, type TileCache } from './tiles'
import { xOf, type Viewport } from './viewport'

/** A track as the lanes draw it. */
export interface Lane {
  id: string
  name: string
  startFrame: number
  frames: number
  offset: number
  invert: boolean
  gain: number
  anchor: boolean
  dim: boolean
}

export const RULER = 22

/** The whole stack: ruler, lanes, cursor and hairline. */
export function paintLanes(
  s: Surface,
  p: Palette,
  v: Viewport,
  lanes: Lane[],
  laneHeight: number,
  tiles: TileCache,
  rateHz: number,
  marks: { cursor: number; hairline: number | null; hits: number[] },
): void {
  paintRuler(s, p, v, rateHz)
  paintHits(s, p, v, marks.hits)
  lanes.forEach((lane, i) => {
    const top = RULER + i * laneHeight
    const { ctx } = s
    ctx.save()
    ctx.beginPath()
    ctx.rect(0, top, s.width, laneHeight)
    ctx.clip()
    ctx.strokeStyle = p.line
    line(ctx, 0, top + laneHeight - 0.5, s.width, top + laneHeight - 0.5)
    const middle = top + laneHeight / 2
    const half = (laneHeight / 2 - 3) * v.vertical
    if (lane.offset !== 0 || lane.invert) {
      // Where it was recorded, as a ghost: an outline in soft ink.
      paintWave(s, v, lane, lane.startFrame, 1, middle, half, tiles, p.soft, 'ghost')
    }
    ctx.globalAlpha = lane.dim ? 0.35 : 1
    const sign = (lane.invert ? -1 : 1) * lane.gain
    const ink = lane.invert ? p.caution : p.depth
    paintWave(s, v, lane, lane.startFrame + lane.offset, sign, middle, half, tiles, ink, 'fill')
    ctx.restore()
  })
  const bottom = RULER + lanes.length * laneHeight
  const cursor = xOf(v, marks.cursor)
  s.ctx.lineWidth = 1
  if (cursor >= 0 && cursor <= s.width) {
    s.ctx.strokeStyle = p.ink
    line(s.ctx, Math.round(cursor) + 0.5, 0, Math.round(cursor) + 0.5, bottom)
  }
  if (marks.hairline !== null) {
    s.ctx.strokeStyle = p.land
    line(s.ctx, marks.hairline + 0.5, RULER, marks.hairline + 0.5, bottom)
  }
}

function line(ctx: CanvasRenderingContext2D, x1: number, y1: number, x2: number, y2: number): void {
  ctx.beginPath()
  ctx.moveTo(x1, y1)
  ctx.lineTo(x2, y2)
  ctx.stroke()
}

function paintRuler(s: Surface, p: Palette, v: Viewport, rateHz: number): void {
  const { ctx } = s
  ctx.font = '11px "Source Code Pro", monospace'
  ctx.textBaseline = 'top'
  ctx.textAlign = 'left'
  const seconds = (s.width * v.framesPerPx) / rateHz
  const every = step(seconds, s.width / 130)
  const first = Math.floor(v.start / rateHz / every)
  ctx.strokeStyle = p.line
  for (let i = first; i <= first + s.width / 60 + 2; i++) {
    const frame = i * every * rateHz
    const x = Math.round(xOf(v, frame)) + 0.5
    if (x < -130 || x > s.width) continue
    line(ctx, x, 0, x, s.height)
    ctx.fillStyle = p.soft
    // Below a millisecond the clock has no more digits: the frame itself is the better word.
    ctx.fillText(every < 0.001 ? `${Math.round(frame)}` : clock(frame, rateHz).slice(3), x + 3, 4)
  }
}

function paintHits(s: Surface, p: Palette, v: Viewport, hits: number[]): void {
  s.ctx.fillStyle = p.land
  for (const h of hits) {
    const x = xOf(v, h)
    if (x >= -4 && x <= s.width + 4) {
      s.ctx.beginPath()
      s.ctx.moveTo(x - 4, RULER - 7)
      s.ctx.lineTo(x + 4, RULER - 7)
      s.ctx.lineTo(x, RULER)
      s.ctx.fill()
    }
  }
}

/** One waveform: single samples as a line, else extremes a column with the RMS inside. */
function paintWave(
  s: Surface,
  v: Viewport,
  lane: Lane,
  start: number,
  factor: number,
  middle: number,
  half: number,
  tiles: TileCache,
  ink: string,
  style: 'fill' | 'ghost',
): void {
  const { ctx } = s
  const from = Math.max(0, Math.floor((start - v.start) / v.framesPerPx))
  const to = Math.min(s.width, Math.ceil((start + lane.frames - v.start) / v.framesPerPx))
  if (to <= from) return
  ctx.fillStyle = ink
  ctx.strokeStyle = ink
  const level = levelFor(v.framesPerPx)
  if (level < 0) paintSamples(s, v, lane, start, factor, middle, half, tiles, from, to, style)
  else paintExtremes(ctx, v, lane, start, factor, middle, half, tiles, level, from, to, style)
}

function paintSamples(
  s: Surface,
  v: Viewport,
  lane: Lane,
  start: number,
  factor: number,
  middle: number,
  half: number,
  tiles: TileCache,
  from: number,
  to: number,
  style: 'fill' | 'ghost',
): void {
  const { ctx } = s
  const first = Math.max(0, Math.floor(v.start + from * v.framesPerPx - start) - 1)
  const last = Math.min(lane.frames - 1, Math.ceil(v.start + to * v.framesPerPx - start) + 1)
  ctx.lineWidth = style === 'ghost' ? 1 : 1.5
  if (style === 'ghost') ctx.setLineDash([2, 3])
  ctx.beginPath()
  let tile = -1
  let data: Float32Array | undefined
  let drawing = false
  for (let n = first; n <= last; n++) {
    const t = Math.floor(n / SAMPLES)
    if (t !== tile) {
      tile = t
      data = tiles.get(lane.id, -1, t)
      drawing = drawing && data !== undefined
    }
    const value = data?.[n - t * SAMPLES]
    if (value === undefined) continue
    const x = (start + n - v.start) / v.framesPerPx
    const y = middle - value * factor * half
    if (drawing) ctx.lineTo(x, y)
    else ctx.moveTo(x, y)
    drawing = true
  }
  ctx.stroke()
  ctx.setLineDash([])
  if (v.framesPerPx < 0.2 && style === 'fill') {
    for (let n = first; n <= last; n++) {
      const t = Math.floor(n / SAMPLES)
      const value = tiles.peek(lane.id, -1, t)?.[n - t * SAMPLES]
      if (value === undefined) continue
      ctx.fillRect((start + n - v.start) / v.framesPerPx - 2, middle - value * factor * half - 2, 4, 4)
    }
  }
}

function paintExtremes(
  ctx: CanvasRenderingContext2D,
  v: Viewport,
  lane: Lane,
  start: number,
  factor: number,
  middle: number,
  half: number,
  tiles: TileCache,
  level: number,
  from: number,
  to: number,
  style: 'fill' | 'ghost',
): void {
  const size = framesAPoint(level)
  const points = Math.ceil(lane.frames / size)
  const top = new Float32Array(to - from)
  const bottom = new Float32Array(to - from)
  const body = new Float32Array(to - from)
  for (let x = from; x < to; x++) {
    const a = Math.max(0, Math.floor((v.start + x * v.framesPerPx - start) / size))
    const b = Math.min(points, Math.max(a + 1, Math.floor((v.start + (x + 1) * v.framesPerPx - start) / size)))
    let min = 1e9
    let max = -1e9
    let square = 0
    for (let i = a; i < b; i++) {
      const t = Math.floor(i / POINTS)
      const data = tiles.get(lane.id, level, t)
      if (!data) continue
      const k = (i - t * POINTS) * 3
      min = Math.min(min, data[k] ?? 0)
      max = Math.max(max, data[k + 1] ?? 0)
      square = Math.max(square, data[k + 2] ?? 0)
    }
    if (max < min) min = max = 0
    const [lo, hi] = factor < 0 ? [max * factor, min * factor] : [min * factor, max * factor]
    top[x - from] = middle - hi * half
    bottom[x - from] = middle - lo * half
    body[x - from] = square * Math.abs(factor) * half
  }
  if (style === 'ghost') {
    ctx.lineWidth = 1
    ctx.globalAlpha = 0.55
    outline(ctx, from, top)
    outline(ctx, from, bottom)
    ctx.globalAlpha = 1
    return
  }
  const alpha = ctx.globalAlpha
  ctx.globalAlpha = alpha * 0.55
  shape(ctx, from, top, bottom)
  ctx.globalAlpha = alpha
  const up = body.map((r) => middle - r)
  const down = body.map((r) => middle + r)
  shape(ctx, from, up, down)
}

/** The area between two edges, at least a hair thick so that silence is seen. */
function shape(ctx: CanvasRenderingContext2D, from: number, top: Float32Array, bottom: Float32Array): void {
  ctx.beginPath()
  for (let i = 0; i < top.length; i++) ctx.lineTo(from + i, top[i]! - 0.4)
  for (let i = bottom.length - 1; i >= 0; i--) ctx.lineTo(from + i, bottom[i]! + 0.4)
  ctx.fill()
}

function outline(ctx: CanvasRenderingContext2D, from: number, edge: Float32Array): void {
  ctx.beginPath()
  for (let i = 0; i < edge.length; i++) ctx.lineTo(from + i, edge[i]!)
  ctx.stroke()
}
