import { EIGHTH, framesAPoint, levelFor, POINTS, SAMPLES, SINGLE, type TileCache } from './tiles'
import type { Lane } from './rows'

/** The frame of a recording that plays at a session frame; null where nothing of it plays. */
export function ownFrame(pieces: Lane['pieces'], frame: number): number | null {
  const piece = pieces.find((p) => frame >= p.from && frame < p.to)
  return piece ? Math.round((frame - piece.start) * piece.rate) : null
}

/** Where a frame of a recording is heard; null where nothing of it plays. Pieces may be many, and are asked for many frames. */
export function placed(pieces: Lane['pieces']): (own: number) => number | null {
  const begins = (p: Lane['pieces'][number]) => (p.from - p.start) * p.rate
  const ends = (p: Lane['pieces'][number]) => (p.to - p.start) * p.rate
  const inOrder = [...pieces].sort((a, b) => begins(a) - begins(b))
  // Of all that have begun so far, the one that lasts longest: stretches lie over the piece they are of.
  const lasting = inOrder.slice()
  for (let n = 1; n < lasting.length; n++) if (ends(lasting[n - 1]!) > ends(lasting[n]!)) lasting[n] = lasting[n - 1]!
  return (own) => {
    let [low, high] = [0, inOrder.length]
    while (low < high) {
      const half = (low + high) >> 1
      if (begins(inOrder[half]!) <= own) low = half + 1
      else high = half
    }
    const p = lasting[low - 1]
    return p && own < ends(p) ? p.start + own / p.rate : null
  }
}

/** What a lane holds at a place: a sample where they can be told apart, else the peak of the pixel. */
export function valueAt(tiles: TileCache, lane: Lane, frame: number, framesPerPx: number): { value: number; peak: boolean } | null {
  const part = lane.pieces.find((p) => frame >= p.from && frame < p.to)
  const own = ownFrame(lane.pieces, frame)
  if (!part || own === null || own < 0 || own >= lane.frames) return null
  const level = levelFor(framesPerPx)
  if (level === SINGLE) {
    const data = tiles.get(lane.id, SINGLE, Math.floor(own / SAMPLES))
    const value = data?.[own % SAMPLES]
    return value === undefined ? null : { value: value * part.factor, peak: false }
  }
  const size = framesAPoint(level)
  const inTile = level === EIGHTH ? SAMPLES / size : POINTS
  const point = Math.floor(own / size)
  const data = tiles.get(lane.id, level, Math.floor(point / inTile))
  const at = (point % inTile) * 3
  const [min, max] = [data?.[at], data?.[at + 1]]
  if (min === undefined || max === undefined) return null
  return { value: Math.max(Math.abs(min), Math.abs(max)) * Math.abs(part.factor), peak: true }
}

/** As dBFS of the sample, with its sign where there is one. */
export function valueText(v: { value: number; peak: boolean }): string {
  const size = Math.abs(v.value)
  if (size < 1e-6) return 'silent'
  const db = (20 * Math.log10(size)).toFixed(1).replace('-', '\u2212')
  return v.peak ? `peak ${db} dBFS` : `${v.value < 0 ? '\u2212' : '+'}${size.toFixed(4)} · ${db} dBFS`
}
