/** For tests: a surface that draws nothing and keeps what it was told to draw. */

import type { Palette } from '../shared/theme'
import type { Surface } from './surface'

/** What was called, with what, in which inks. */
export interface Call {
  name: string
  args: unknown[]
  fill: unknown
  stroke: unknown
  alpha: unknown
  dashed: boolean
}

export const INKS: Palette = {
  paper: '#ffffff',
  panel: '#ffffff',
  ink: '#000000',
  soft: '#888888',
  line: '#cccccc',
  shoal: '#aaaaff',
  depth: '#0000ff',
  caution: '#ff00ff',
  land: '#ffaa00',
  clear: '#00ff00',
}

/** A surface of so many CSS pixels, and the calls in their order. Every text is 50 pixels wide. */
export function fakeSurface(width: number, height: number): { s: Surface; calls: Call[] } {
  const calls: Call[] = []
  let dashed = false
  const handler = {
    get: (target: Record<string, unknown>, name: string) => {
      if (name in target) return target[name]
      return (...args: unknown[]) => {
        if (name === 'setLineDash') dashed = (args[0] as number[]).length > 0
        calls.push({ name, args, fill: target.fillStyle, stroke: target.strokeStyle, alpha: target.globalAlpha ?? 1, dashed })
        return name === 'measureText' ? { width: 50 } : undefined
      }
    },
    set: (target: Record<string, unknown>, name: string, value: unknown) => {
      target[name] = value
      return true
    },
  }
  const ctx = new Proxy({} as Record<string, unknown>, handler) as unknown as CanvasRenderingContext2D
  return { s: { ctx, width, height, ratio: 1 }, calls }
}

export const texts = (calls: readonly Call[]) => calls.filter((c) => c.name === 'fillText').map((c) => String(c.args[0]))
export const rects = (calls: readonly Call[]) =>
  calls.filter((c) => c.name === 'fillRect').map((c) => ({ ...c, box: c.args as [number, number, number, number] }))
