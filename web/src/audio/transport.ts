import type { Schemas } from '../api/client'
import { parseBlock, type Reading } from './wire'

/** A plan of timing, by its kind. */
export type PlanTried =
  { timing: Schemas['TimingOf'] } | { layer: Schemas['LayerOf'] } | { takes: Schemas['TakesOf'] } | { passages: Schemas['PassagesOf'] }

/** What sounds. */
export interface MixRequest {
  tracks: string[]
  /** Places and levels of those that have their own; a place of null follows the side of the track. `invert`: on top of what it carries. */
  places: Record<string, { pan: number | null; level_db: number; invert?: boolean }>
  centred: boolean
  /** The first of two left, the second right. */
  apart: boolean
  /** The first of two minus the second. */
  difference: boolean
  mono: boolean
  /** Left and right exchanged. */
  swap: boolean
  /** 20 dB quieter. */
  dim: boolean
  /** As recorded and as corrected at the same loudness. */
  matched: boolean
  /** A click on every beat. */
  click: boolean
  /** Part of the speed, 0.25 … 1. */
  speed: number
  /** A print heard as corrected against its send in a way, whatever it carries. */
  tried: { send: string; print: string; moving: 'print' | 'walker'; way: 'offset' | 'drift' | 'map' } | null
  /** A plan of timing heard before it is taken. */
  plan: PlanTried | null
}

/** A part of the session, once or again and again. */
export interface PlayRange {
  from: number
  to: number
  repeat: boolean
}

export function silentMix(): MixRequest {
  return {
    tracks: [],
    places: {},
    centred: false,
    apart: false,
    difference: false,
    mono: false,
    swap: false,
    dim: false,
    matched: false,
    click: false,
    speed: 1,
    tried: null,
    plan: null,
  }
}

export interface TransportState {
  playing: boolean
  /** Session frame that is heard. */
  frame: number
  corrected: boolean
  /** State of the audio context, "none" before the first play. */
  context: string
  /** Blocks received since the page was opened. */
  blocks: number
  /** Times the sound had to wait for blocks while playing. */
  gaps: number
  /** Seconds of the sound's own clock when the place was told. */
  soundS: number
  /** Milliseconds from the last change of what sounds until it was heard. */
  answerMs: number
}

/** Readings of the block that is heard. */
export interface HeardReading {
  start: number
  /** First session frame after it. */
  end: number
  /** Seconds that it lasts. */
  seconds: number
  /** Levels in dB that match as corrected and as recorded; NaN while not known or not wanted. */
  matchedDb: [number, number]
  corrected: Reading
  recorded: Reading
  /** RMS by track. */
  levels: { corrected: Map<string, number>; recorded: Map<string, number> }
  /** Some of the samples, left and right in turn: dots of the goniometer. */
  dots: { corrected: Float32Array; recorded: Float32Array }
}

interface FromWorklet {
  type: 'used' | 'at' | 'switched' | 'over' | 'done'
  frame: number
  gaps: number
  generation: number
}

/** Blocks kept ahead of the sound: half a second at 48 kHz. */
const AHEAD = 12

/**
 * Plays a session from the server's blocks. No framework: owners pass what to call when something changed.
 */
export class Transport {
  readonly state: TransportState = {
    playing: false,
    frame: 0,
    corrected: true,
    context: 'none',
    blocks: 0,
    gaps: 0,
    soundS: 0,
    answerMs: 0,
  }
  private context: AudioContext | null = null
  private node: AudioWorkletNode | null = null
  private socket: WebSocket | null = null
  private generation = 0
  private asked = 0
  private mix = silentMix()
  private loop: PlayRange | null = null
  private once: PlayRange | null = null
  private readings: HeardReading[] = []
  private starting: Promise<void> | null = null
  private retry = 0
  private disposed = false

  constructor(
    private readonly session: string,
    private readonly rateHz: number,
    private readonly changed: () => void,
    private readonly trouble: (message: string) => void,
  ) {}

  /** Starts at the present place, or plays a part once. Call it from a gesture: browsers let no page sound by itself. */
  async play(once: PlayRange | null = null): Promise<void> {
    await this.ready()
    if (this.context?.state === 'suspended') await this.context.resume()
    this.once = once
    if (once) this.state.frame = once.from
    this.state.playing = true
    this.request(this.state.frame, true)
    this.changed()
  }

  stop(): void {
    this.state.playing = false
    this.once = null
    this.node?.port.postMessage({ type: 'stop' })
    this.send({ type: 'stop' })
    this.changed()
  }

  async toggle(): Promise<void> {
    if (this.state.playing) this.stop()
    else await this.play()
  }

  seek(frame: number): void {
    this.state.frame = Math.round(frame)
    this.once = null
    if (this.state.playing) this.request(this.state.frame, true)
    this.changed()
  }

  /** The switch between as recorded and as corrected: a fade of 5 ms where the sound is made. */
  hear(corrected: boolean): void {
    this.state.corrected = corrected
    this.node?.port.postMessage({ type: 'which', corrected })
    this.changed()
  }

  /** Another mix, or the same tracks with other corrections: goes on where it is. */
  setMix(mix: MixRequest): void {
    if (JSON.stringify(mix) === JSON.stringify(this.mix)) return
    this.mix = mix
    if (this.state.playing) this.request(this.state.frame, false)
  }

  /** The tracks carry other corrections than before. */
  renew(): void {
    if (this.state.playing) this.request(this.state.frame, false)
  }

  /** What is played again and again; null to go straight on. */
  setLoop(loop: PlayRange | null): void {
    if (JSON.stringify(loop) === JSON.stringify(this.loop)) return
    this.loop = loop
    if (this.state.playing) this.request(this.state.frame, false)
  }

  /** The readings at the place that is heard. */
  heard(): HeardReading | undefined {
    return this.readings.find((r) => this.state.frame >= r.start && this.state.frame < r.end)
  }

  async dispose(): Promise<void> {
    this.state.playing = false
    this.disposed = true
    clearTimeout(this.retry)
    this.socket?.close()
    this.node?.disconnect()
    await this.context?.close()
  }

  private request(from: number, seek: boolean): void {
    this.generation += 1
    if (seek) this.readings = []
    this.node?.port.postMessage({ type: 'expect', generation: this.generation, seek })
    this.asked = performance.now()
    this.send({ type: 'play', from, generation: this.generation, mix: this.mix, range: this.once ?? this.loop })
    this.send({ type: 'credit', blocks: AHEAD })
  }

  private send(message: object): void {
    if (this.socket?.readyState === WebSocket.OPEN) this.socket.send(JSON.stringify(message))
  }

  private ready(): Promise<void> {
    this.starting ??= this.start().catch((e: unknown) => {
      this.starting = null
      throw e
    })
    return this.starting
  }

  private async start(): Promise<void> {
    // Without the rate the browser would resample to its own.
    this.context = new AudioContext({ sampleRate: this.rateHz, latencyHint: 'interactive' })
    this.context.onstatechange = () => {
      this.state.context = this.context?.state ?? 'none'
      this.changed()
    }
    this.state.context = this.context.state
    await this.context.audioWorklet.addModule('/listen-worklet.js')
    this.node = new AudioWorkletNode(this.context, 'marea-listen', { numberOfInputs: 0, outputChannelCount: [2] })
    this.node.port.onmessage = (e) => this.fromWorklet(e.data as FromWorklet)
    this.node.port.postMessage({ type: 'which', corrected: this.state.corrected })
    this.node.connect(this.context.destination)
    await this.connect()
  }

  private connect(): Promise<void> {
    const address = `${location.protocol === 'https:' ? 'wss' : 'ws'}://${location.host}/api/sessions/${this.session}/listen`
    const socket = new WebSocket(address)
    socket.binaryType = 'arraybuffer'
    this.socket = socket
    socket.onmessage = (e) => this.fromServer(e.data as ArrayBuffer | string)
    return new Promise((resolve, reject) => {
      socket.onopen = () => {
        if (this.state.playing) this.request(this.state.frame, true)
        resolve()
      }
      socket.onclose = () => {
        if (this.disposed) return
        reject(new Error('The connection for listening could not be made.'))
        if (this.state.playing) this.trouble('The connection for listening broke off; it goes on by itself.')
        this.retry = window.setTimeout(() => void this.connect().catch(() => undefined), 1000)
      }
    })
  }

  private fromServer(data: ArrayBuffer | string): void {
    if (typeof data === 'string') {
      const said = JSON.parse(data) as { type: string; message: string; generation: number }
      if (said.type === 'end') this.node?.port.postMessage({ type: 'end', generation: said.generation })
      else this.trouble(said.message)
      return
    }
    const block = parseBlock(data)
    this.state.blocks += 1
    if (block.generation !== this.generation) return
    const end = block.start + block.frames * block.speed
    // Newer readings of the same places take the place of older ones.
    this.readings = this.readings.filter((r) => r.end <= block.start || r.start >= end).slice(-4 * AHEAD)
    const [cl, cr, rl, rr] = block.planes as [Float32Array, Float32Array, Float32Array, Float32Array]
    const dots = { corrected: paired(cl, cr), recorded: paired(rl, rr) }
    const { corrected, recorded, matchedDb } = block
    const byTrack = (of: Float32Array) => new Map([...of].map((rms, i) => [this.mix.tracks[i] ?? '', rms]))
    const levels = { corrected: byTrack(block.levels.corrected), recorded: byTrack(block.levels.recorded) }
    this.readings.push({ start: block.start, end, seconds: block.frames / this.rateHz, corrected, recorded, matchedDb, levels, dots })
    const message = {
      type: 'block',
      generation: block.generation,
      start: block.start,
      frames: block.frames,
      speed: block.speed,
      planes: block.planes,
    }
    this.node?.port.postMessage(
      message,
      block.planes.map((p) => p.buffer),
    )
  }

  private fromWorklet(m: FromWorklet): void {
    if (m.type === 'switched') window.__mareaSwitched?.(performance.now())
    if (m.type === 'over' && m.generation === this.generation) this.state.answerMs = performance.now() - this.asked
    if (m.type === 'done' && m.generation === this.generation) {
      // A part that was played once ends where it began, ready to be heard again.
      if (this.once) this.state.frame = this.once.from
      this.state.playing = false
      this.once = null
      this.changed()
    }
    if (m.type === 'used' && m.generation === this.generation) this.send({ type: 'credit', blocks: 1 })
    if (m.type === 'at' && this.state.playing && m.generation === this.generation) {
      this.state.frame = m.frame
      this.state.soundS = this.context?.currentTime ?? 0
      this.state.gaps = m.gaps
      this.changed()
    }
  }
}

/** Every fourth sample of both sides. */
function paired(left: Float32Array, right: Float32Array): Float32Array {
  const out = new Float32Array(Math.ceil(left.length / 4) * 2)
  for (let i = 0, k = 0; i < left.length; i += 4) {
    out[k++] = left[i]!
    out[k++] = right[i]!
  }
  return out
}
