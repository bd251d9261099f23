import type { Surface } from '../plot/surface'
import type { Palette } from '../shared/theme'
import type { Measure } from '../shared/units'
import type { DrawnPiece } from '../api/client'
import type { Lane, StackRow } from './rows'
import { paintLaneStrokes, type LaneStroke } from './strokes'
import { paintPlaces, paintRuler, RULER, type Marks, type Ruler } from './ruler'
import { framesAPoint, levelFor, POINTS, SAMPLES, SINGLE, type TileCache } from './tiles'
import { xOf, type Viewport } from './viewport'
import type { WaveBuffer } from './waveBuffer'

/** The coarsest level at which the server lays two lanes over one another. */
const OVERLAY_COARSEST = 2

/** What is drawn: the stack's rows below the ruler, scrolled by so many pixels. */
export interface Picture {
  rows: readonly StackRow[]
  scroll: number
  hits: readonly number[]
  /** Strokes of the tracks, each on its own lane. */
  strokes?: readonly LaneStroke[]
  measure: Measure
  ruler: Ruler
  marks: Marks
  /** The overlay shows the two alone, with their sum or with their difference. */
  way: 'both' | 'sum' | 'difference'
  /** Every lane is as tall as its own peak lets it be; else all have one scale. */
  fitted: boolean
}

/** How much taller a lane is drawn so that its peak fills it: a power of two, so that one sees what it is. At the usual height of
 * the waveforms half a lane holds half of full scale. */
export function fitOf(peak: number | undefined): number {
  if (peak === undefined || peak <= 0) return 1
  return 2 ** Math.max(-1, Math.min(10, Math.floor(Math.log2(0.5 / peak))))
}

/** The whole stack: ruler, places, hits and the lanes that are in view. */
export function paintLanes(
  s: Surface,
  p: Palette,
  v: Viewport,
  picture: Picture,
  tiles: TileCache,
  laid: TileCache,
  buffer: WaveBuffer,
): void {
  const { ctx, ratio } = s
  const seen = picture.rows.filter((row) => placeOf(row, picture) + row.height >= RULER && placeOf(row, picture) <= s.height)
  const fit = (lane: Lane) => (picture.fitted ? fitOf(tiles.peak(lane.id, lane.frames)) : 1)
  const waves = () => {
    for (const row of seen) {
      const here = { s, v, tiles, buffer, top: placeOf(row, picture), height: row.height - 1, alpha: 1, ghost: false, fit: 1 }
      if (row.kind === 'lane') paintLane(p, { ...here, fit: fit(row.lane) }, row.lane)
      if (row.kind === 'overlay') paintOverlay(p, here, row.a, row.b, laid, picture.way)
    }
  }
  const apart = apartFrom(v)
  if (!apart) {
    // Pixels replace what is on the canvas, so they come first.
    buffer.begin(Math.round(s.width * ratio), Math.round(s.height * ratio))
    waves()
    buffer.end(ctx)
    ctx.globalCompositeOperation = 'destination-over'
  }
  paintRuler(s, p, v, picture.measure, picture.ruler)
  paintHits(s, p, v, picture.hits)
  ctx.save()
  ctx.beginPath()
  ctx.rect(0, RULER, s.width, s.height - RULER)
  ctx.clip()
  ctx.strokeStyle = p.line
  for (const row of seen) {
    const bottom = placeOf(row, picture) + row.height - 0.5
    line(ctx, 0, bottom, s.width, bottom)
  }
  if (apart) waves()
  ctx.restore()
  ctx.globalCompositeOperation = 'source-over'
  for (const row of seen) if (row.kind === 'lane') paintFit(s, p, placeOf(row, picture), fit(row.lane))
  paintLaneStrokes(
    s,
    p,
    v,
    seen.map((row) => ({ row, top: placeOf(row, picture) })),
    picture.strokes ?? [],
  )
  paintPlaces(s, p, v, picture.marks)
}

/** Says by how much a lane is drawn taller, or lower, than the others. */
function paintFit({ ctx, width }: Surface, p: Palette, top: number, fit: number): void {
  if (fit === 1 || top < RULER - 4) return
  const text = fit < 1 ? '×½' : `×${fit}`
  ctx.font = '11px "Source Code Pro", monospace'
  ctx.textBaseline = 'top'
  ctx.textAlign = 'right'
  const wide = ctx.measureText(text).width + 4
  ctx.globalAlpha = 0.8
  ctx.fillStyle = p.panel
  ctx.fillRect(width - wide - 2, top + 1, wide, 13)
  ctx.globalAlpha = 1
  ctx.fillStyle = p.soft
  ctx.fillText(text, width - 4, top + 1)
  ctx.textAlign = 'left'
}

/** Upper edge of a row in CSS pixels. */
const placeOf = (row: StackRow, picture: Picture) => RULER + row.top - picture.scroll

/** Samples are further apart than pixels: they are drawn as lines. */
const apartFrom = (v: Viewport) => v.framesPerPx < 0.8

type Place = Omit<Wave, 'lane' | 'part' | 'ink'>

function paintLane(p: Palette, here: Place, lane: Lane): void {
  // Where it was recorded, as a ghost: an outline in soft ink. One that lies under the waveform itself is not seen.
  const seen = lane.pieces.some(
    (piece) => Math.abs(piece.start - lane.startFrame) >= 0.5 * here.v.framesPerPx || piece.factor < 0 || piece.rate !== 1,
  )
  if (seen) {
    const part = { from: lane.startFrame, to: lane.startFrame + lane.frames, start: lane.startFrame, rate: 1, factor: 1 }
    paintWave({ ...here, lane, part, ink: p.soft, alpha: 0.6, ghost: true })
  }
  for (const part of lane.pieces) paintWave({ ...here, lane, part, ink: part.factor < 0 ? p.caution : p.depth, alpha: lane.dim ? 0.35 : 1 })
}

/** Address of two lanes laid over one another; another one whenever a correction changes. */
function overlayOf(a: Lane, b: Lane, way: string): string {
  const carried = [a, b].map((l) => marked(JSON.stringify(l.pieces))).join('_')
  return `overlay/${a.id}/${b.id}/${way}/*?of=${encodeURIComponent(carried)}`
}

/** A short mark of a text, for an address that changes with it (FNV-1a). */
function marked(text: string): string {
  let hash = 0x811c9dc5
  for (let i = 0; i < text.length; i++) hash = Math.imul(hash ^ text.charCodeAt(i), 0x01000193)
  return (hash >>> 0).toString(36)
}

/** Both tracks in one lane as they are carried; their sum or difference in ink over them. */
function paintOverlay(p: Palette, here: Place, a: Lane, b: Lane, laid: TileCache, way: Picture['way']): void {
  const faint = way === 'both' ? 0.8 : 0.45
  for (const part of a.pieces) paintWave({ ...here, lane: a, part, ink: p.land, alpha: faint })
  for (const part of b.pieces) paintWave({ ...here, lane: b, part, ink: p.depth, alpha: faint })
  const coarsest = framesAPoint(OVERLAY_COARSEST)
  if (way === 'both' || here.v.framesPerPx > coarsest * 4) return
  // The server lays them over one another in session frames: its tiles begin at frame 0.
  const last = Math.ceil(here.v.last)
  const part = { from: 0, to: last, start: 0, rate: 1, factor: 1 }
  const sum: Lane = { ...a, id: overlayOf(a, b, way), startFrame: 0, offset: 0, invert: false, pieces: [part], frames: last }
  paintWave({ ...here, tiles: laid, lane: sum, part, ink: p.ink, coarsest: OVERLAY_COARSEST })
}

/** What is under the pointer: a line through all lanes, and what each lane holds there. */
export interface Hairline {
  x: number
  values: readonly { y: number; text: string }[]
}

/** What moves while the rest stands: the place that is heard, the hairline, and a stretch that is measured. */
export function paintMarks(
  s: Surface,
  p: Palette,
  v: Viewport,
  cursor: number,
  hairline: Hairline | null,
  measured: readonly [number, number] | null,
): void {
  const { ctx } = s
  if (measured) {
    const [from, to] = [xOf(v, Math.min(...measured)), xOf(v, Math.max(...measured))]
    ctx.fillStyle = p.land
    ctx.globalAlpha = 0.25
    ctx.fillRect(from, RULER, Math.max(to - from, 1), s.height)
    ctx.globalAlpha = 1
    ctx.fillRect(Math.round(from), RULER, 1, s.height)
    ctx.fillRect(Math.round(to), RULER, 1, s.height)
  }
  const x = xOf(v, cursor)
  if (x >= 0 && x <= s.width) {
    ctx.fillStyle = p.ink
    ctx.fillRect(Math.round(x), 0, 1, s.height)
  }
  if (!hairline) return
  ctx.fillStyle = p.land
  ctx.fillRect(Math.round(hairline.x), RULER, 1, s.height)
  ctx.font = '11px "Source Code Pro", monospace'
  ctx.textBaseline = 'top'
  for (const { y, text } of hairline.values) {
    const width = ctx.measureText(text).width + 6
    const left = hairline.x + 4 + width > s.width ? hairline.x - 4 - width : hairline.x + 4
    ctx.globalAlpha = 0.85
    ctx.fillStyle = p.panel
    ctx.fillRect(left, y, width, 14)
    ctx.globalAlpha = 1
    ctx.fillStyle = p.ink
    ctx.fillText(text, left + 3, y + 1)
  }
}

function line(ctx: CanvasRenderingContext2D, x1: number, y1: number, x2: number, y2: number): void {
  ctx.beginPath()
  ctx.moveTo(x1, y1)
  ctx.lineTo(x2, y2)
  ctx.stroke()
}

function paintHits(s: Surface, p: Palette, v: Viewport, hits: readonly number[]): void {
  s.ctx.fillStyle = p.land
  s.ctx.beginPath()
  // An hour has thousands: of those that would lie on one another one is drawn.
  let last = -Infinity
  for (const h of hits) {
    const x = xOf(v, h)
    if (x < -4 || x > s.width + 4 || x - last < 3) continue
    last = x
    s.ctx.moveTo(x - 4, RULER - 7)
    s.ctx.lineTo(x + 4, RULER - 7)
    s.ctx.lineTo(x, RULER)
  }
  s.ctx.fill()
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
  /** What of the lane is drawn, and what it carries there. */
  part: DrawnPiece
  ink: string
  alpha: number
  ghost: boolean
  /** Times the height that all lanes have. */
  fit: number
  /** The coarsest level there is. */
  coarsest?: number
}

/** Single samples as a line when they are apart, else extremes a column with the RMS inside. */
function paintWave(w: Wave): void {
  if (apartFrom(w.v)) paintSamples(w)
  else paintExtremes(w)
}

function paintSamples({ s, v, lane, tiles, top, height, part, ink, alpha, ghost, fit }: Wave): void {
  const { ctx } = s
  const { start, rate, factor } = part
  const middle = top + height / 2
  const half = (height / 2 - 2) * v.vertical * fit
  const own = (frame: number) => (frame - start) * rate
  const first = Math.max(0, Math.ceil(own(part.from)), Math.floor(own(v.start)) - 1)
  const last = Math.min(lane.frames - 1, Math.ceil(own(part.to)) - 1, Math.ceil(own(v.start + s.width * v.framesPerPx)) + 1)
  ctx.save()
  ctx.beginPath()
  ctx.rect(0, Math.max(top, RULER), s.width, height)
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
    const x = (start + n / rate - v.start) / v.framesPerPx
    const y = middle - value * factor * half
    if (drawing) ctx.lineTo(x, y)
    else ctx.moveTo(x, y)
    drawing = true
    if (dots) ctx.fillRect(x - 2, y - 2, 4, 4)
  }
  ctx.stroke()
  ctx.restore()
}

function paintExtremes({ s, v, lane, tiles, buffer, top, height, part, ink, alpha, ghost, fit, coarsest }: Wave): void {
  const { start, rate, factor } = part
  const level = Math.min(levelFor(v.framesPerPx), coarsest ?? Infinity)
  // Single samples are points of one frame whose extremes are the sample itself.
  const single = level === SINGLE
  const size = single ? 1 : framesAPoint(level)
  const inTile = single ? SAMPLES : POINTS
  const points = Math.ceil(lane.frames / size)
  // All in device pixels from here on.
  const scale = (v.framesPerPx * rate) / s.ratio / size
  const origin = ((v.start - start) * rate) / size
  const column = (frame: number) => Math.round(((frame - v.start) / v.framesPerPx) * s.ratio)
  const from = Math.max(0, Math.floor(-origin / scale), column(part.from))
  const to = Math.min(Math.round(s.width * s.ratio), Math.ceil((points - origin) / scale), column(part.to))
  const [low, high] = [Math.ceil(Math.max(top, RULER) * s.ratio), Math.floor((top + height) * s.ratio)]
  const middle = (top + height / 2) * s.ratio
  const half = (height / 2 - 2) * s.ratio * v.vertical * fit
  const [outer, inner] = [buffer.ink(ink, alpha * 0.55), buffer.ink(ink, alpha)]
  let tile = -1
  let data: Float32Array | undefined
  // Of a ghost only the edges, every third column: dotted.
  const stride = ghost ? 3 : 1
  for (let x = Math.ceil(from / stride) * stride; x < to; x += stride) {
    // Single samples reach back to the one before, so that neighbouring columns touch.
    const a = Math.max(0, Math.floor(origin + x * scale) - (single ? 1 : 0))
    const b = Math.min(points, Math.max(a + 1, Math.floor(origin + (x + 1) * scale)))
    let min = 1e9
    let max = -1e9
    let square = 0
    for (let n = a; n < b;) {
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
      buffer.dot(x, upper, low, high, inner)
      buffer.dot(x, lower, low, high, inner)
      continue
    }
    const body = Math.sqrt(square / Math.max(b - a, 1)) * Math.abs(factor) * half
    buffer.column(x, upper, lower, Math.max(upper, middle - body), Math.min(lower, middle + body))
  }
  if (!ghost) buffer.write(from, to, low, high, outer, inner)
}
