import { oneTempo } from '../shared/beats'
import { beforeEach, describe, expect, it, vi } from 'vitest'
import { fakeSurface, INKS as inks, texts as textsOf, type Call } from '../plot/fake'
import { paintLanes, paintMarks, type Picture } from './paint'
import type { Lane, StackRow } from './rows'
import { RULER } from './ruler'
import { TileCache } from './tiles'
import { makeViewport } from './viewport'
import { WaveBuffer } from './waveBuffer'

class FakeImage {
  data: Uint8ClampedArray
  constructor(
    readonly width: number,
    readonly height: number,
  ) {
    this.data = new Uint8ClampedArray(width * height * 4)
  }
}
/** What was put on the canvas. */
let put: FakeImage | null = null
const measure = { rateHz: 48_000, speedMS: 343.2, bpm: 120, beats: oneTempo(24_000) }
const piece = (from: number, to: number, factor = 1, start = 0, rate = 1) => ({ from, to, start, rate, factor })
const lane = (id: string, part: Partial<Lane> = {}): Lane => ({
  id,
  name: id,
  startFrame: 0,
  frames: 640_000,
  offset: 0,
  invert: false,
  pieces: [piece(0, 640_000)],
  anchor: false,
  dim: false,
  ...part,
})
const row = (id: string, top: number, part: Partial<Lane> = {}): StackRow => ({
  kind: 'lane',
  id,
  top,
  height: 40,
  lane: lane(id, part),
  track: { id } as never,
  group: null,
})

beforeEach(() => {
  put = null
  vi.stubGlobal('ImageData', FakeImage)
})

/** Tiles that are full: every point from −0.5 to 0.5, RMS 0.25. */
async function tilesOf(asked: string[]): Promise<TileCache> {
  const point = Float32Array.from({ length: 3 * 1024 }, (_, i) => [-0.5, 0.5, 0.25][i % 3]!)
  const made = new TileCache(
    (t) => `/${t}/*`,
    () => undefined,
    (url) => (asked.push(url), Promise.resolve(point.buffer)),
  )
  return made
}

async function paint(rows: StackRow[], part: Partial<Picture> = {}, scroll = 0): Promise<{ calls: Call[]; asked: string[] }> {
  const { s, calls } = fakeSurface(500, 150)
  const v = Object.assign(makeViewport(), { start: 0, framesPerPx: 1000, vertical: 1, width: 500, first: 0, last: 640_000 })
  const asked: string[] = []
  const tiles = await tilesOf(asked)
  const picture: Picture = {
    rows,
    scroll,
    hits: [],
    measure,
    ruler: 'clock',
    marks: { markers: [], loop: null },
    way: 'both',
    fitted: false,
    ...part,
  }
  paintLanes(s, inks, v, picture, tiles, tiles, new WaveBuffer())
  // The first paint misses its tiles; once they have come the second one draws them.
  await new Promise((done) => setTimeout(done, 10))
  calls.length = 0
  paintLanes(s, inks, v, picture, tiles, tiles, new WaveBuffer())
  put = (calls.filter((c) => c.name === 'putImageData').pop()?.args[0] as FakeImage | undefined) ?? null
  return { calls, asked }
}

const inked = (y: number, rgb: [number, number, number]): number => {
  let n = 0
  for (let x = 0; x < put!.width; x++) {
    const k = (y * put!.width + x) * 4
    if (put!.data[k + 3]! > 0 && rgb.every((c, i) => put!.data[k + i] === c)) n++
  }
  return n
}

describe('the lanes’ picture', () => {
  it('draws a lane in its place, from its lowest to its highest sample, never into the ruler', async () => {
    await paint([row('a', 0)])
    const middle = RULER + 20
    expect(inked(middle, [0, 0, 255])).toBeGreaterThan(490)
    // Half of full scale: half of the half height, 9 of 18 pixels.
    expect(inked(middle - 8, [0, 0, 255])).toBeGreaterThan(490)
    expect(inked(middle - 12, [0, 0, 255])).toBe(0)
    expect([...Array(RULER).keys()].reduce((n, y) => n + inked(y, [0, 0, 255]), 0)).toBe(0)
  })

  it('cuts off what is scrolled under the ruler and asks for nothing that is out of view', async () => {
    const rows = [row('a', 0), row('b', 40), row('c', 80), row('d', 400)]
    const { asked } = await paint(rows, {}, 60)
    const of = (id: string) => asked.filter((u) => u.startsWith(`/${id}/`)).length
    expect([of('a') > 0, of('b') > 0, of('c') > 0, of('d') > 0]).toEqual([false, true, true, false])
    expect([...Array(RULER).keys()].reduce((n, y) => n + inked(y, [0, 0, 255]), 0)).toBe(0)
  })

  it('inverts a repaired stretch where it sounds, from its first column to its last', async () => {
    await paint([row('a', 0, { pieces: [piece(0, 100_000), piece(100_000, 300_000, -0.5), piece(300_000, 640_000)] })])
    const middle = RULER + 20
    const columns = (y: number, rgb: [number, number, number]) =>
      [...Array(500).keys()].filter(
        (x) => rgb.every((c, i) => put!.data[(y * 500 + x) * 4 + i] === c) && put!.data[(y * 500 + x) * 4 + 3]! > 0,
      )
    const magenta = columns(middle, [255, 0, 255])
    expect([magenta[0], magenta.at(-1), magenta.length]).toEqual([100, 299, 200])
    expect(columns(middle, [0, 0, 255]).length).toBe(300)
    // Half as loud: its columns reach half as far.
    expect(columns(middle - 8, [255, 0, 255])).toEqual([])
    expect(columns(middle - 8, [0, 0, 255]).length).toBe(300)
  })

  it('draws a piece that plays at another speed as long as it sounds', async () => {
    await paint([row('a', 0, { pieces: [piece(100_000, 420_000, 1, 100_000, 2)] })])
    const middle = RULER + 20
    expect(inked(middle, [0, 0, 255])).toBe(320)
  })

  it('shows a track that was moved where it sounds, its recorded place as a dotted ghost, an inverted one in magenta', async () => {
    await paint([row('a', 0, { offset: 200_000, invert: true, pieces: [piece(200_000, 840_000, -1, 200_000)] })])
    const middle = RULER + 20
    expect(inked(middle, [255, 0, 255])).toBeLessThan(310)
    expect(inked(middle, [255, 0, 255])).toBeGreaterThan(290)
    // The ghost has edges only: at the extremes, every third column.
    const ghost = [middle - 9, middle - 10, middle - 8].map((y) => inked(y, [0x88, 0x88, 0x88]))
    expect(Math.max(...ghost)).toBeGreaterThan(40)
    expect(inked(middle - 4, [0x88, 0x88, 0x88])).toBe(0)
  })

  it('draws one of the hits that would lie on one another', async () => {
    const triangles = (calls: Call[]) => calls.filter((c) => c.name === 'moveTo' && c.args[1] === RULER - 7).length
    const apart = await paint([row('a', 0)], { hits: [10_000, 20_000, 30_000] })
    expect(triangles(apart.calls)).toBe(3)
    const dense = await paint([row('a', 0)], { hits: Array.from({ length: 5_000 }, (_, i) => i * 100) })
    expect(triangles(dense.calls)).toBeLessThan(180)
    expect(triangles(dense.calls)).toBeGreaterThan(120)
  })

  it('lays two lanes over one another and asks the server for their sum, by what they carry', async () => {
    const over = (way: Picture['way'], by = -12): Promise<{ asked: string[] }> =>
      paint(
        [{ kind: 'overlay', id: 'overlay', top: 0, height: 96, a: lane('a'), b: lane('b', { pieces: [piece(by, 640_000 + by, -1, by)] }) }],
        { way },
      )
    expect((await over('both')).asked.some((u) => u.includes('overlay'))).toBe(false)
    const { asked } = await over('sum')
    const sums = asked.filter((u) => u.startsWith('/overlay/a/b/sum/'))
    expect(sums.length).toBeGreaterThan(0)
    // One address as long as nothing moves, another as soon as something does.
    expect((await over('sum')).asked.filter((u) => u.startsWith('/overlay'))).toEqual(sums)
    expect((await over('sum', -13)).asked.some((u) => sums.includes(u))).toBe(false)
  })

  it('shows marks with their names and the loop in the ruler', async () => {
    const { calls } = await paint([row('a', 0)], {
      marks: {
        markers: [
          { frame: 48_000, name: 'Entry' },
          { frame: 9e9, name: 'far' },
        ],
        loop: { from: 96_000, to: 144_000, on: true },
      },
    })
    const texts = textsOf(calls)
    expect(texts).toContain('Entry')
    expect(texts).not.toContain('far')
    expect(calls.some((c) => c.name === 'fillRect' && c.args[0] === 96 && c.args[2] === 48)).toBe(true)
  })
})

describe('what moves over it', () => {
  it('keeps the hairline’s values inside the picture', () => {
    const { s, calls } = fakeSurface(300, 100)
    const v = Object.assign(makeViewport(), { start: 0, framesPerPx: 10, width: 300 })
    paintMarks(s, inks, v, 1_000, { x: 280, values: [{ y: 30, text: 'peak −6.0 dBFS' }] }, [200, 1_200])
    const at = calls.find((c) => c.name === 'fillText')!.args
    expect(at[0]).toBe('peak −6.0 dBFS')
    expect(Number(at[1])).toBeLessThan(240)
    // The cursor, and the measured stretch with both its ends.
    expect(calls.filter((c) => c.name === 'fillRect').map((c) => c.args[0])).toEqual(expect.arrayContaining([100, 20, 120]))
  })
})
