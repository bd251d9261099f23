import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { silentMix, Transport } from './transport'

/** What the page says to its audio thread and to the server, without either. */
class FakePort {
  sent: { type: string; [key: string]: unknown }[] = []
  onmessage: ((e: { data: unknown }) => void) | null = null
  postMessage(m: { type: string }): void {
    this.sent.push(m)
  }
}
const port = new FakePort()
let sockets: FakeSocket[] = []

class FakeSocket {
  static OPEN = 1
  readyState = 1
  binaryType = ''
  sent: { type: string; [key: string]: unknown }[] = []
  onopen: (() => void) | null = null
  onclose: (() => void) | null = null
  onmessage: ((e: { data: unknown }) => void) | null = null
  constructor(readonly url: string) {
    sockets.push(this)
    queueMicrotask(() => this.onopen?.())
  }
  send(text: string): void {
    this.sent.push(JSON.parse(text) as { type: string })
  }
  close(): void {
    this.readyState = 3
  }
}

function block(generation: number, start: number, correlation: number): ArrayBuffer {
  const frames = 2048
  const data = new ArrayBuffer(88 + frames * 16)
  const v = new DataView(data)
  v.setUint32(0, generation, true)
  v.setUint32(4, frames, true)
  v.setFloat64(8, start, true)
  v.setFloat32(16, 1, true)
  v.setFloat32(48, correlation, true)
  return data
}

beforeEach(() => {
  port.sent = []
  sockets = []
  vi.stubGlobal('WebSocket', FakeSocket)
  vi.stubGlobal(
    'AudioContext',
    class {
      state = 'running'
      destination = {}
      audioWorklet = { addModule: () => Promise.resolve() }
      close = () => Promise.resolve()
      resume = () => Promise.resolve()
    },
  )
  vi.stubGlobal(
    'AudioWorkletNode',
    class {
      port = port
      connect(): void {}
      disconnect(): void {}
    },
  )
})
afterEach(() => vi.unstubAllGlobals())

const said: string[] = []
const made = () =>
  new Transport(
    's1',
    48000,
    () => undefined,
    (m) => said.push(m),
  )

describe('transport', () => {
  it('asks for blocks from where it stands and keeps asking as they are used', async () => {
    const t = made()
    t.setMix({ ...silentMix(), tracks: ['a'], mono: true })
    t.seek(480.4)
    await t.play()
    const socket = sockets[0]!
    expect(socket.url).toContain('/api/sessions/s1/listen')
    expect(socket.sent[0]).toMatchObject({ type: 'play', from: 480, generation: 1, mix: { tracks: ['a'], mono: true } })
    expect(socket.sent[1]).toMatchObject({ type: 'credit', blocks: 12 })
    socket.onmessage?.({ data: block(1, 480, -0.5) })
    expect(t.state.blocks).toBe(1)
    expect(port.sent.at(-1)).toMatchObject({ type: 'block', generation: 1, start: 480 })
    port.onmessage?.({ data: { type: 'at', frame: 1000, gaps: 0, generation: 1 } })
    expect(t.state.frame).toBe(1000)
    expect(t.heard()?.corrected.correlation).toBeCloseTo(-0.5, 6)
    port.onmessage?.({ data: { type: 'used', generation: 1 } })
    expect(socket.sent.at(-1)).toMatchObject({ type: 'credit', blocks: 1 })
    // A later mix goes on where it is; blocks of the earlier one are dropped.
    t.setMix({ ...silentMix(), tracks: ['b'] })
    expect(socket.sent.at(-2)).toMatchObject({ type: 'play', from: 1000, generation: 2 })
    const before = port.sent.length
    socket.onmessage?.({ data: block(1, 2528, 0) })
    expect(port.sent.length).toBe(before)
    t.stop()
    expect(socket.sent.at(-1)).toMatchObject({ type: 'stop' })
    expect(t.state.playing).toBe(false)
  })
  it('plays a part once and stands at its beginning again', async () => {
    const t = made()
    await t.play({ from: 960, to: 4800, repeat: false })
    const socket = sockets[0]!
    expect(socket.sent[0]).toMatchObject({ type: 'play', from: 960, range: { from: 960, to: 4800, repeat: false } })
    port.onmessage?.({ data: { type: 'at', frame: 4000, gaps: 0, generation: 1 } })
    socket.onmessage?.({ data: JSON.stringify({ type: 'end', message: '', generation: 1 }) })
    expect(port.sent.at(-1)).toEqual({ type: 'end', generation: 1 })
    port.onmessage?.({ data: { type: 'done', frame: 4800, gaps: 0, generation: 1 } })
    expect([t.state.playing, t.state.frame]).toEqual([false, 960])
    // Nothing of it is left for the next time.
    await t.play()
    expect(socket.sent.at(-2)).toMatchObject({ type: 'play', from: 960, range: null })
  })
  it('goes round a loop from where it is, and the same mix asks for nothing', async () => {
    const t = made()
    t.setMix({ ...silentMix(), tracks: ['a'] })
    await t.play()
    const socket = sockets[0]!
    t.setLoop({ from: 0, to: 48000, repeat: true })
    expect(socket.sent.at(-2)).toMatchObject({ type: 'play', from: 0, generation: 2, range: { repeat: true } })
    const asked = socket.sent.length
    t.setLoop({ from: 0, to: 48000, repeat: true })
    t.setMix({ ...silentMix(), tracks: ['a'] })
    expect(socket.sent.length).toBe(asked)
    t.renew()
    expect(socket.sent.length).toBe(asked + 2)
  })
  it('switches on the audio thread, without asking the server', async () => {
    const t = made()
    await t.play()
    const asked = sockets[0]!.sent.length
    t.hear(false)
    expect(port.sent.at(-1)).toMatchObject({ type: 'which', corrected: false })
    expect(sockets[0]!.sent.length).toBe(asked)
  })
  it('says that the line broke and goes on by itself', async () => {
    vi.useFakeTimers()
    const t = made()
    await t.play()
    sockets[0]!.readyState = 3
    sockets[0]!.onclose?.()
    expect(said.at(-1)).toContain('goes on by itself')
    await vi.advanceTimersByTimeAsync(1100)
    expect(sockets).toHaveLength(2)
    expect(sockets[1]!.sent[0]).toMatchObject({ type: 'play' })
    await t.dispose()
    sockets[1]!.onclose?.()
    await vi.advanceTimersByTimeAsync(3000)
    expect(sockets).toHaveLength(2)
    vi.useRealTimers()
  })
})
