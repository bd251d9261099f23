/** Blocks as the server sends them; the layout is described beside the server's code. */

export interface Reading {
  peak: [number, number]
  rms: [number, number]
  /** NaN when a side is under the gate. */
  correlation: number
  /** Energy of the difference over that of the first track, dB; NaN unless the difference is heard. */
  nullDepthDb: number
}

export interface Block {
  generation: number
  frames: number
  start: number
  corrected: Reading
  recorded: Reading
  /** Corrected left, corrected right, recorded left, recorded right. */
  planes: Float32Array<ArrayBuffer>[]
}

const HEADER = 64

export function parseBlock(data: ArrayBuffer): Block {
  const view = new DataView(data)
  const frames = view.getUint32(4, true)
  const reading = (at: number): Reading => ({
    peak: [view.getFloat32(at, true), view.getFloat32(at + 4, true)],
    rms: [view.getFloat32(at + 8, true), view.getFloat32(at + 12, true)],
    correlation: view.getFloat32(at + 16, true),
    nullDepthDb: view.getFloat32(at + 20, true),
  })
  if (data.byteLength !== HEADER + frames * 16) throw new Error(`a block of ${data.byteLength} bytes cannot hold ${frames} frames`)
  return {
    generation: view.getUint32(0, true),
    frames,
    start: Number(view.getBigInt64(8, true)),
    corrected: reading(16),
    recorded: reading(40),
    planes: [0, 1, 2, 3].map((p) => new Float32Array(data.slice(HEADER + p * frames * 4, HEADER + (p + 1) * frames * 4))),
  }
}
