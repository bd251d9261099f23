/** Waveform tiles of tracks, fetched once and kept. The layout is the server's: see its route `tiles`. */

export const POINTS = 1024
export const SAMPLES = 8192
const BASE = 64
const FACTOR = 4
const LEVELS = 6

/** Frames a point of a level. */
export function framesAPoint(level: number): number {
  return BASE * FACTOR ** level
}

/** The level to draw with: the coarsest whose points are no wider than a pixel; −1 is single samples. */
export function levelFor(framesPerPx: number): number {
  if (framesPerPx < 40) return -1
  let level = 0
  while (level + 1 < LEVELS && framesAPoint(level + 1) <= framesPerPx) level++
  return level
}

export class TileCache {
  private tiles = new Map<string, Float32Array | 'coming' | 'missing'>()
  /** Most tiles kept: about 48 MB. */
  private static readonly MOST = 4000

  constructor(
    private readonly session: string,
    private readonly arrived: () => void,
    private readonly fetcher: (url: string) => Promise<ArrayBuffer> = fetchTile,
  ) {}

  /** The tile, or undefined while it is on its way. Level −1 holds samples, others min, max, RMS a point. */
  get(track: string, level: number, tile: number): Float32Array | undefined {
    const key = `${track}/${level}/${tile}`
    const have = this.tiles.get(key)
    if (have instanceof Float32Array) return have
    if (!have) this.load(key, track, level, tile)
    return undefined
  }

  /** The tile if it is there already. */
  peek(track: string, level: number, tile: number): Float32Array | undefined {
    const have = this.tiles.get(`${track}/${level}/${tile}`)
    return have instanceof Float32Array ? have : undefined
  }

  private load(key: string, track: string, level: number, tile: number): void {
    if (this.tiles.size > TileCache.MOST) {
      // The oldest went in first: maps keep their order.
      for (const old of [...this.tiles.keys()].slice(0, TileCache.MOST / 4)) this.tiles.delete(old)
    }
    this.tiles.set(key, 'coming')
    const name = level < 0 ? 'samples' : String(level)
    this.fetcher(`/api/sessions/${this.session}/tracks/${track}/tiles/${name}/${tile}`)
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

async function fetchTile(url: string): Promise<ArrayBuffer> {
  const answer = await fetch(url)
  if (!answer.ok) throw new Error(String(answer.status))
  return answer.arrayBuffer()
}
