import { beforeEach, describe, expect, it } from 'vitest'
import source from '../../public/listen-worklet.js?raw'

/** The audio thread's processor, loaded as the browser loads it, with a port that is read here. */
interface Sent {
  type: string
  generation: number
  frame?: number
  gaps?: number
}
interface Processor {
  port: { onmessage: (e: { data: object }) => void }
  process: (inputs: unknown, outputs: Float32Array[][]) => boolean
}

let sent: Sent[] = []

function load(sampleRate = 48_000): Processor {
  let made: (new () => Processor) | null = null
  class Base {
    port = { onmessage: null, postMessage: (m: Sent) => sent.push(m) }
  }
  new Function('AudioWorkletProcessor', 'registerProcessor', 'sampleRate', source)(
    Base,
    (_: string, c: new () => Processor) => (made = c),
    sampleRate,
  )
  return new made!()
}

const FRAMES = 2048
let processor: Processor
const last = () => sent.filter((m) => m.type === 'at').at(-1)

const say = (m: object) => processor.port.onmessage({ data: m })
/** A block whose samples tell their session frame as corrected, and ten thousand more as recorded. */
function block(generation: number, start: number, frames = FRAMES, speed = 1): object {
  const plane = (of: (n: number) => number) => Float32Array.from({ length: frames }, (_, n) => of(n))
  const corrected = plane((n) => start + n * speed)
  const recorded = plane((n) => 10_000 + start + n * speed)
  return { type: 'block', generation, start, frames, speed, planes: [corrected, corrected, recorded, recorded] }
}

function run(frames: number): Float32Array {
  const out = new Float32Array(frames)
  for (let at = 0; at < frames; at += 128) {
    const [l, r] = [new Float32Array(128), new Float32Array(128)]
    processor.process([], [[l, r]])
    out.set(l.subarray(0, Math.min(128, frames - at)), at)
  }
  return out
}

function begin(generation: number, from: number, blocks: number, seek = true): void {
  say({ type: 'expect', generation, seek })
  for (let i = 0; i < blocks; i++) say(block(generation, from + i * FRAMES))
}

beforeEach(() => {
  sent = []
  processor = load()
})

describe('the audio thread', () => {
  it('waits for two blocks, fades in, and plays what they hold in their order', () => {
    begin(1, 4800, 1)
    expect(run(1024).every((v) => v === 0)).toBe(true)
    for (const i of [1, 2]) say(block(1, 4800 + i * FRAMES))
    const out = run(3 * FRAMES)
    expect(out[0]).toBeCloseTo(4800 / 240, 3)
    for (let n = 240; n < 3 * FRAMES; n++) expect(out[n]).toBeCloseTo(4800 + n, 2)
    expect(sent.filter((m) => m.type === 'used')).toHaveLength(2)
    expect(last()?.frame).toBe(4800 + 3 * FRAMES)
  })

  it('fades for 5 ms at every rate', () => {
    processor = load(192_000)
    begin(1, 4800, 3)
    const out = run(2 * FRAMES)
    expect(out[0]).toBeCloseTo(4800 / 960, 3)
    expect(out[500]).toBeLessThan(4800 + 499)
    expect(out[960]).toBeCloseTo(4800 + 960, 2)
  })

  it('goes on with a new mix where the old one is, and gives back what it passes over', () => {
    begin(1, 0, 6)
    run(3072)
    const before = sent.length
    begin(2, 0, 6, false)
    expect(
      sent
        .slice(before)
        .filter((m) => m.type === 'over')
        .map((m) => m.generation),
    ).toEqual([2])
    // One block of the new mix lies behind the place that sounds: it is given back at once.
    expect(sent.slice(before).filter((m) => m.type === 'used' && m.generation === 2)).toHaveLength(1)
    const out = run(1024)
    // Both hold the same sound, so that the fade from one to the other is not heard.
    for (let n = 0; n < 1024; n++) expect(out[n]).toBeCloseTo(3072 + n, 1)
    expect(last()?.gaps).toBe(0)
  })

  it('starves once, counts it, and goes on when blocks come', () => {
    begin(1, 0, 3)
    run(3 * FRAMES + 1024)
    say(block(1, 3 * FRAMES))
    const out = run(1024)
    expect(out[0]).toBeCloseTo(3 * FRAMES, 2)
    expect(last()?.gaps).toBe(1)
  })

  it('does not stand still for ever when a new mix comes behind the place', () => {
    begin(1, 0, 3)
    run(4 * FRAMES)
    begin(2, 0, 3, false)
    // All three lie behind: they are given back, and the next one is taken.
    expect(sent.filter((m) => m.type === 'used' && m.generation === 2)).toHaveLength(3)
    say(block(2, 3 * FRAMES))
    expect(run(512)[300]).toBeCloseTo(3 * FRAMES + 300, 2)
  })

  it('turns back with a loop, whose blocks come in the order they are heard', () => {
    say({ type: 'expect', generation: 1, seek: true })
    for (const [start, frames] of [
      [1000, 2048],
      [3048, 952],
      [1000, 2048],
      [3048, 952],
      [1000, 2048],
    ] as const)
      say(block(1, start, frames))
    const out = run(7000)
    expect(out[2999]).toBeCloseTo(3999, 2)
    expect(out[3000]).toBeCloseTo(1000, 2)
    expect(out[6000]).toBeCloseTo(1000, 2)
    // A new mix finds the place in the pass that sounds now.
    say({ type: 'expect', generation: 2, seek: false })
    for (const [start, frames] of [
      [1900, 2048],
      [3948, 52],
      [1000, 2048],
      [3048, 952],
      [1000, 2048],
      [3048, 952],
    ] as const)
      say(block(2, start, frames))
    expect(run(128)[0]).toBeCloseTo(2040, 0)
  })

  it('goes straight on when the loop is left just before it turns back', () => {
    say({ type: 'expect', generation: 1, seek: true })
    // The last block before the end of the loop, then its beginning again.
    say(block(1, 142_000))
    for (let i = 0; i < 3; i++) say(block(1, 96_000 + i * FRAMES))
    run(1920)
    say({ type: 'expect', generation: 2, seek: false })
    // Before the new blocks come, the old sound turns back.
    run(1024)
    for (let i = 0; i < 4; i++) say(block(2, 143_920 + i * FRAMES))
    expect(sent.filter((m) => m.type === 'over').map((m) => m.generation)).toEqual([1, 2])
    expect(run(1024)[600]).toBeCloseTo(143_920 + 600, 2)
  })

  it('gives back what comes too late, while the old sound lasts', () => {
    begin(1, 0, 8)
    run(5 * FRAMES)
    begin(2, 0, 4, false)
    expect(sent.filter((m) => m.type === 'used' && m.generation === 2)).toHaveLength(4)
    for (const i of [4, 5, 6]) say(block(2, i * FRAMES))
    expect(sent.filter((m) => m.type === 'over').map((m) => m.generation)).toEqual([1, 2])
    expect(last()?.gaps).toBe(0)
  })

  it('goes back to the mix before when a new one does not come fast enough, and on with it when it does', () => {
    begin(1, 0, 12)
    run(FRAMES)
    // Three blocks of a new mix, one of which has passed; the next ones are late.
    begin(2, 0, 3, false)
    const out = run(6 * FRAMES)
    for (let n = 0; n < 6 * FRAMES; n++) expect(out[n]).toBeCloseTo(FRAMES + n, 1)
    for (let i = 3; i < 10; i++) say(block(2, i * FRAMES))
    const later = run(2 * FRAMES)
    for (let n = 0; n < 2 * FRAMES; n++) expect(later[n]).toBeCloseTo(7 * FRAMES + n, 1)
    expect(last()).toMatchObject({ gaps: 0, frame: 9 * FRAMES, generation: 2 })
    // What took over twice is told once, and what it passed over is given back.
    expect(sent.filter((m) => m.type === 'over').map((m) => m.generation)).toEqual([1, 2])
    expect(sent.filter((m) => m.type === 'used' && m.generation === 2)).toHaveLength(8)
  })

  it('is over only when the mix that is still to come has nothing more either', () => {
    begin(1, 0, 3)
    say({ type: 'end', generation: 1 })
    begin(2, 0, 0, false)
    run(4 * FRAMES)
    expect(sent.filter((m) => m.type === 'done')).toEqual([])
    // What comes of the new one lies behind the place; then it ends.
    for (let i = 0; i < 3; i++) say(block(2, i * FRAMES))
    say({ type: 'end', generation: 2 })
    run(256)
    expect(sent.filter((m) => m.type === 'done').map((m) => m.generation)).toEqual([2])
  })

  it('ends a part by itself and says so, also one that is shorter than two blocks', () => {
    say({ type: 'expect', generation: 1, seek: true })
    say(block(1, 500, 900))
    expect(run(128).every((v) => v === 0)).toBe(true)
    say({ type: 'end', generation: 1 })
    const out = run(1024)
    expect(out[899]).toBeCloseTo(1399, 2)
    expect(out[900]).toBe(0)
    expect(sent.filter((m) => m.type === 'done').map((m) => m.generation)).toEqual([1])
    expect(last()?.gaps).toBe(0)
  })

  it('tells places of slowed sound by its speed', () => {
    say({ type: 'expect', generation: 1, seek: true })
    for (let i = 0; i < 4; i++) say(block(1, 1000 + i * FRAMES * 0.5, FRAMES, 0.5))
    expect(run(4096)[4095]).toBeCloseTo(1000 + 4095 * 0.5, 2)
    expect(last()?.frame).toBeCloseTo(1000 + 2048, 6)
  })

  it('fades between as corrected and as recorded within five milliseconds', () => {
    begin(1, 0, 5)
    run(1024)
    say({ type: 'which', corrected: false })
    const out = run(512)
    expect(out[0]).toBeLessThan(1024 + 100)
    expect(out[300]).toBeCloseTo(10_000 + 1024 + 300, 1)
    expect(sent.filter((m) => m.type === 'switched')).toHaveLength(1)
  })

  it('fades out when it is stopped, and is silent after that', () => {
    begin(1, 48_000, 5)
    run(1024)
    say({ type: 'stop' })
    const out = run(1024)
    expect(out[0]!).toBeGreaterThan(40_000)
    expect(Math.abs(out[239]!)).toBeLessThan(1_000)
    expect(out.subarray(241).every((v) => v === 0)).toBe(true)
    // What comes late of the stopped playing is not taken.
    say(block(1, 60_000))
    expect(run(512).every((v) => v === 0)).toBe(true)
  })
})
