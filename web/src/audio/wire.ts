/** Blocks as the server sends them; the layout is described beside the server's code. */

export interface Reading {
  peak: [number, number]
  rms: [number, number]
  /** NaN when a side is under the gate. */
  correlation: number
  /** The same of what lies below 200 Hz. */
  lowCorrelation: number
  /** Energy of the difference over that of the first track, dB; NaN unless the difference is heard. */
  nullDepthDb: number
}

export interface Block {
  generation: number
  frames: number
  /** Session frame of the first sample. */
  start: number
  /** Session frames from one sample to the next. */
  speed: number
  /** Levels in dB that match as corrected and as recorded; NaN while not known or not wanted. */
  matchedDb: [number, number]
  corrected: Reading
  recorded: Reading
  /** RMS of every track in the order they were asked for. */
  levels: { corrected: Float32Array; recorded: Float32Array }
  /** Corrected left, corrected right, recorded left, recorded right. */
  planes: Float32Array<ArrayBuffer>[]
}

const HEADER = 88

export function parseBlock(data: ArrayBuffer): Block {
  const view = new DataView(data)
  const frames = view.getUint32(4, true)
  const reading = (at: number): Reading => ({
    peak: [view.getFloat32(at, true), view.getFloat32(at + 4, true)],
    rms: [view.getFloat32(at + 8, true), view.getFloat32(at + 12, true)],
    correlation: view.getFloat32(at + 16, true),
    lowCorrelation: view.getFloat32(at + 20, true),
    nullDepthDb: view.getFloat32(at + 24, true),
  })
  const voices = view.getUint32(28, true)
  const planes = HEADER + voices * 8
  if (data.byteLength !== planes + frames * 16) throw new Error(`a block of ${data.byteLength} bytes cannot hold ${frames} frames`)
  return {
    generation: view.getUint32(0, true),
    frames,
    start: view.getFloat64(8, true),
    speed: view.getFloat32(16, true),
    matchedDb: [view.getFloat32(20, true), view.getFloat32(24, true)],
    corrected: reading(32),
    recorded: reading(60),
    levels: {
      corrected: new Float32Array(data.slice(HEADER, HEADER + voices * 4)),
      recorded: new Float32Array(data.slice(HEADER + voices * 4, planes)),
    },
    planes: [0, 1, 2, 3].map((p) => new Float32Array(data.slice(planes + p * frames * 4, planes + (p + 1) * frames * 4))),
  }
}
