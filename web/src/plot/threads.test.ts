import { describe, expect, it } from 'vitest'
import { fakeSurface, INKS, texts } from './fake'
import { paintThreads, type Thread, type Threads } from './threads'

const thread = (at: number, before: number, part: Partial<Thread> = {}): Thread => ({
  at,
  before,
  after: before,
  verdict: 'solid',
  ...part,
})

function painted(all: Thread[], part: Partial<Threads> = {}) {
  const { s, calls } = fakeSurface(600, 300)
  const dots = paintThreads(s, INKS, {
    all,
    shaded: [],
    slackMs: 10,
    rateHz: 48_000,
    chosen: null,
    names: ['First', 'Second'],
    title: 'later, ms',
    ...part,
  })
  return { dots, calls }
}

describe('threads between two tracks', () => {
  it('lie in the order of time, later ones higher, and no further out than the plot', () => {
    const { dots } = painted([thread(0, 0), thread(48_000, 30), thread(96_000, -30), thread(144_000, 400)])
    expect(dots.map((d) => d.index)).toEqual([0, 1, 2, 3])
    expect(dots.every((d, n) => n === 0 || d.x > dots[n - 1]!.x)).toBe(true)
    const [none, later, earlier, far] = dots.map((d) => d.y) as [number, number, number, number]
    expect(later).toBeLessThan(none)
    expect(earlier - none).toBeCloseTo(none - later, 6)
    expect(far).toBeGreaterThanOrEqual(10 + 18)
    expect(earlier).toBeLessThanOrEqual(300 - 34)
  })

  it('stand out beyond the slack, unless they say so themselves, and are hollow where nothing is sure', () => {
    const { calls } = painted([
      thread(0, 5),
      thread(48_000, 25),
      thread(96_000, 25, { off: false }),
      thread(144_000, 0, { verdict: 'likely' }),
    ])
    const filled = calls.filter((c) => c.name === 'fill').map((c) => c.fill)
    expect(filled).toEqual([INKS.depth, INKS.caution, INKS.depth])
    const faint = painted([thread(0, 5, { verdict: 'undecided' })]).calls.filter((c) => c.name === 'arc')
    expect(faint.every((c) => c.alpha === 0.25)).toBe(true)
  })

  it('show where they were beside where they go, pinned ones as squares', () => {
    const rings = (all: Thread[]) => painted(all).calls.filter((c) => c.name === 'arc').length
    expect(rings([thread(0, 20)])).toBe(1)
    expect(rings([thread(0, 20, { after: 5 })])).toBe(2)
    const { calls } = painted([thread(0, 20, { pinned: true, verdict: 'undecided' })])
    expect(calls.filter((c) => c.name === 'rect')).toHaveLength(1)
    expect(calls.filter((c) => c.name === 'fill')).toHaveLength(1)
  })

  it('lean by what they are apart, within bounds, and name both tracks', () => {
    const { calls } = painted([thread(0, 20), thread(480_000, 4_000)])
    expect(texts(calls)).toEqual(expect.arrayContaining(['First', 'Second', 'later, ms']))
    const moves = calls.filter((c) => c.name === 'moveTo').map((c) => c.args as [number, number])
    const lines = calls.filter((c) => c.name === 'lineTo').map((c) => c.args as [number, number])
    const leans = moves.map((m, n) => lines[n]![0] - m[0]).filter((_, n) => moves[n]![1] === 18 && lines[n]![1] === 18 + 74)
    expect(leans).toEqual([10, 46])
  })

  it('shade what is told of a passage, what is settled less', () => {
    const shades = painted([thread(0, 0), thread(480_000, 0)], {
      shaded: [
        { from: 48_000, to: 96_000, settled: false },
        { from: 192_000, to: 240_000, settled: true },
      ],
    }).calls.filter((c) => c.name === 'fillRect' && c.args[1] === 18)
    expect(shades.map((c) => [c.fill, c.alpha])).toEqual([
      [INKS.land, 0.3],
      [INKS.shoal, 0.5],
    ])
    expect(shades.every((c) => (c.args[2] as number) > 40)).toBe(true)
  })
})
