import { clock } from '../shared/units'
import type { Palette } from '../shared/theme'
import { step } from '../plot/ticks'
import type { Surface } from '../plot/surface'
import { framesAPoint, levelFor, POINTS, SAMPLES, SINGLE, type TileCache } from './tiles'
import { xOf, type Viewport } from './viewport'
import type { WaveBuffer } from './waveBuffer'

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

/** The whole stack: ruler, hits and lanes. */
export function paintLanes(
  s: Surface,
  p: Palette,
  v: Viewport,
  lanes: Lane[],
  laneHeight: number,
  tiles: TileCache,
  rateHz: number,
  hits: number[],
  buffer: WaveBuffer,
): void {
  const { ctx, ratio } = s
  paintRuler(s, p, v, rateHz)
  paintHits(s, p, v, hits)
  buffer.begin(Math.round(s.width * ratio), Math.round(s.height * ratio))
  lanes.forEach((lane, i) => {
    const top = RULER + i * laneHeight
    ctx.strokeStyle = p.line
    line(ctx, 0, top + laneHeight - 0.5, s.width, top + laneHeight - 0.5)
    const sign = (lane.invert ? -1 : 1) * lane.gain
    const ink = lane.invert ? p.caution : p.depth
    const here = { s, v, lane, tiles, buffer, top, height: laneHeight - 1 }
    if (lane.offset !== 0 || lane.invert) {
      // Where it was recorded, as a ghost: an outline in soft ink.
      paintWave({ ...here, start: lane.startFrame, factor: 1, ink: p.soft, alpha: 0.6, ghost: true })
    }
    paintWave({ ...here, start: lane.startFrame + lane.offset, factor: sign, ink, alpha: lane.dim ? 0.35 : 1, ghost: false })
  })
  buffer.end(ctx, ratio)
}

/** What moves while the rest stands: the place that is heard, and the hairline under the pointer. */
export function paintMarks(s: Surface, p: Palette, v: Viewport, cursor: number, hairline: number | null, measured: readonly [number, number] | null): void {
  if (measured) {
    const [from, to] = [xOf(v, Math.min(...measured)), xOf(v, Math.max(...measured))]
    s.ctx.fillStyle = p.land
    s.ctx.globalAlpha = 0.25
    s.ctx.fillRect(from, RULER, Math.max(to - from, 1), s.height)
    s.ctx.globalAlpha = 1
    s.ctx.fillRect(Math.round(from), RULER, 1, s.height)
    s.ctx.fillRect(Math.round(to), RULER, 1, s.height)
  }
  const x = xOf(v, cursor)
  if (x >= 0 && x <= s.width) {
    s.ctx.fillStyle = p.ink
    s.ctx.fillRect(Math.round(x), 0, 1, s.height)
  }
  if (hairline !== null) {
    s.ctx.fillStyle = p.land
    s.ctx.fillRect(Math.round(hairline), RULER, 1, s.height)
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

/** One waveform in one lane. */
interface Wave {
  s: Surface
  v: Viewport
  lane: Lane
  tiles: TileCache
  buffer: WaveBuffer
  /** Upper edge and height of the lane in CSS pixels. */
  top: number
  height: number
  /** Session frame of the first sample. */
  start: number
  /** Gain with sign. */
  factor: number
  ink: string
  alpha: number
  ghost: boolean
}

/** Single samples as a line when they are apart, else extremes a column with the RMS inside. */
function paintWave(w: Wave): void {
  if (w.v.framesPerPx < 0.8) paintSamples(w)
  else paintExtremes(w)
}

function paintSamples({ s, v, lane, tiles, top, height, start, factor, ink, alpha, ghost }: Wave): void {
  const { ctx } = s
  const middle = top + height / 2
  const half = (height / 2 - 2) * v.vertical
  const first = Math.max(0, Math.floor(v.start - start) - 1)
  const last = Math.min(lane.frames - 1, Math.ceil(v.start + s.width * v.framesPerPx - start) + 1)
  ctx.save()
  ctx.beginPath()
  ctx.rect(0, top, s.width, height)
  ctx.clip()
  ctx.strokeStyle = ink
  ctx.fillStyle = ink
  ctx.globalAlpha = alpha
  ctx.lineWidth = ghost ? 1 : 1.5
  if (ghost) ctx.setLineDash([2, 3])
  const dots = v.framesPerPx < 0.2 && !ghost
  ctx.beginPath()
  let tile = -1
  let data: Float32Array | undefined
  let drawing = false
  for (let n = first; n <= last; n++) {
    const t = Math.floor(n / SAMPLES)
    if (t !== tile) {
      tile = t
      data = tiles.get(lane.id, SINGLE, t)
      drawing = drawing && data !== undefined
    }
    const value = data?.[n - t * SAMPLES]
    if (value === undefined) continue
    const x = (start + n - v.start) / v.framesPerPx
    const y = middle - value * factor * half
    if (drawing) ctx.lineTo(x, y)
    else ctx.moveTo(x, y)
    drawing = true
    if (dots) ctx.fillRect(x - 2, y - 2, 4, 4)
  }
  ctx.stroke()
  ctx.restore()
}

function paintExtremes({ s, v, lane, tiles, buffer, top, height, start, factor, ink, alpha, ghost }: Wave): void {
  const level = levelFor(v.framesPerPx)
  // Single samples are points of one frame whose extremes are the sample itself.
  const single = level === SINGLE
  const size = single ? 1 : framesAPoint(level)
  const inTile = single ? SAMPLES : POINTS
  const points = Math.ceil(lane.frames / size)
  // All in device pixels from here on.
  const scale = v.framesPerPx / s.ratio / size
  const origin = (v.start - start) / size
  const from = Math.max(0, Math.floor(-origin / scale))
  const to = Math.min(Math.round(s.width * s.ratio), Math.ceil((points - origin) / scale))
  const [low, high] = [Math.ceil(top * s.ratio), Math.floor((top + height) * s.ratio)]
  const middle = (top + height / 2) * s.ratio
  const half = (height / 2 - 2) * s.ratio * v.vertical
  const [outer, inner] = [buffer.ink(ink, alpha * 0.55), buffer.ink(ink, alpha)]
  let tile = -1
  let data: Float32Array | undefined
  for (let x = from; x < to; x++) {
    // Single samples reach back to the one before, so that neighbouring columns touch.
    const a = Math.max(0, Math.floor(origin + x * scale) - (single ? 1 : 0))
    const b = Math.min(points, Math.max(a + 1, Math.floor(origin + (x + 1) * scale)))
    let min = 1e9
    let max = -1e9
    let square = 0
    for (let n = a; n < b; ) {
      const t = Math.floor(n / inTile)
      if (t !== tile) {
        tile = t
        data = tiles.get(lane.id, level, t)
      }
      const end = Math.min(b, (t + 1) * inTile)
      if (data && single) {
        for (let k = n - t * inTile; k < end - t * inTile; k++) {
          const value = data[k]!
          if (value < min) min = value
          if (value > max) max = value
          square += value * value
        }
      } else if (data) {
        for (let k = (n - t * inTile) * 3; k < (end - t * inTile) * 3; k += 3) {
          if (data[k]! < min) min = data[k]!
          if (data[k + 1]! > max) max = data[k + 1]!
          square += data[k + 2]! * data[k + 2]!
        }
      }
      n = end
    }
    if (max < min) min = max = 0
    const upper = middle - (factor < 0 ? min : max) * factor * half
    const lower = middle - (factor < 0 ? max : min) * factor * half
    if (ghost) {
      // Edges only, every other column: dotted.
      if (x % 3 === 0) {
        buffer.column(x, upper, upper, low, high, inner)
        buffer.column(x, lower, lower, low, high, inner)
      }
      continue
    }
    const body = Math.sqrt(square / Math.max(b - a, 1)) * Math.abs(factor) * half
    buffer.column(x, upper, lower, low, high, outer)
    buffer.column(x, Math.max(upper, middle - body), Math.min(lower, middle + body), low, high, inner)
  }
}
