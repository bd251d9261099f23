/** Waveform tiles of tracks, fetched once and kept. The layout is the server's: see its route `tiles`. */

export const POINTS = 1024
export const SAMPLES = 8192
const BASE = 64
const FACTOR = 4
const LEVELS = 6

/** Level of single samples. */
export const SINGLE = -2
/** Level of eight samples a point, made here from the single ones: the server's finest has 64. */
export const EIGHTH = -1

/** Frames a point of a level. */
export function framesAPoint(level: number): number {
  return level === SINGLE ? 1 : level === EIGHTH ? SAMPLES / POINTS : BASE * FACTOR ** level
}

/** The level to draw with: the coarsest whose points are no wider than a pixel. */
export function levelFor(framesPerPx: number): number {
  if (framesPerPx < framesAPoint(EIGHTH)) return SINGLE
  if (framesPerPx < BASE) return EIGHTH
  let level = 0
  while (level + 1 < LEVELS && framesAPoint(level + 1) <= framesPerPx) level++
  return level
}

export class TileCache {
  private tiles = new Map<string, Float32Array | 'coming' | 'missing'>()
  private wanted: (() => void)[] = []
  private peaks = new Map<string, number>()
  /** Most tiles kept: about 48 MB. */
  private static readonly MOST = 4000

  constructor(
    /** Where the tiles of a lane are. */
    private readonly address: (lane: string) => string,
    private readonly arrived: () => void,
    private readonly fetcher: (url: string) => Promise<ArrayBuffer> = fetchTile,
  ) {}

  /** The tile, or undefined while it is on its way. Singles hold samples, others min, max, RMS a point. */
  get(track: string, level: number, tile: number): Float32Array | undefined {
    const key = `${track}/${level}/${tile}`
    const have = this.tiles.get(key)
    if (have instanceof Float32Array) return have
    if (have) return undefined
    if (level !== EIGHTH) {
      this.load(key, track, level, tile)
      return undefined
    }
    const single = this.get(track, SINGLE, tile)
    if (!single) return undefined
    const made = eighths(single)
    this.tiles.set(key, made)
    return made
  }

  /** Largest absolute sample of a whole track of so many frames; undefined while it is on its way. */
  peak(track: string, frames: number): number | undefined {
    const known = this.peaks.get(track)
    if (known !== undefined) return known
    const level = LEVELS - 1
    let largest = 0
    for (let tile = 0; tile * POINTS * framesAPoint(level) < frames; tile++) {
      const points = this.get(track, level, tile)
      if (!points) return undefined
      for (let k = 0; k + 1 < points.length; k += 3) largest = Math.max(largest, -points[k]!, points[k + 1]!)
    }
    this.peaks.set(track, largest)
    return largest
  }

  private load(key: string, track: string, level: number, tile: number): void {
    if (this.tiles.size > TileCache.MOST) {
      // The oldest went in first: maps keep their order.
      for (const old of [...this.tiles.keys()].slice(0, TileCache.MOST / 4)) this.tiles.delete(old)
    }
    this.tiles.set(key, 'coming')
    const name = level === SINGLE ? 'samples' : String(level)
    // Asked for after the paint that misses it: a request costs as much time as a lane.
    if (this.wanted.length === 0) setTimeout(() => this.wanted.splice(0).forEach((ask) => ask()), 0)
    this.wanted.push(() => this.ask(key, this.address(track).replace('*', `${name}/${tile}`)))
  }

  private ask(key: string, url: string): void {
    this.fetcher(url)
      .then((data) => {
        this.tiles.set(key, new Float32Array(data))
        this.arrived()
      })
      .catch(() => {
        // Asked for again after a while; a track whose recording is gone is said elsewhere.
        this.tiles.set(key, 'missing')
        setTimeout(() => this.tiles.delete(key), 3000)
      })
  }
}

/** Minimum, maximum and RMS of every eight samples. */
export function eighths(single: Float32Array): Float32Array {
  const size = SAMPLES / POINTS
  const count = Math.ceil(single.length / size)
  const out = new Float32Array(count * 3)
  for (let i = 0; i < count; i++) {
    const part = single.subarray(i * size, (i + 1) * size)
    let min = Infinity
    let max = -Infinity
    let square = 0
    for (const v of part) {
      if (v < min) min = v
      if (v > max) max = v
      square += v * v
    }
    out.set([min, max, Math.sqrt(square / part.length)], i * 3)
  }
  return out
}

async function fetchTile(url: string): Promise<ArrayBuffer> {
  const answer = await fetch(url)
  if (!answer.ok) throw new Error(String(answer.status))
  return answer.arrayBuffer()
}
