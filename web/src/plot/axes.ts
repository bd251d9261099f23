import type { Palette } from '../shared/theme'
import type { Surface } from './surface'

export interface Frame {
  left: number
  top: number
  right: number
  bottom: number
}

const FONT = '11px "Source Sans 3", sans-serif'

/** Room for the axes; the plot is inside. */
export function frameOf(s: Surface, left = 40, bottom = 32): Frame {
  return { left, top: 10, right: s.width - 10, bottom: s.height - bottom }
}

export interface Axis {
  values: number[]
  at: (value: number) => number
  text: (value: number) => string
  title: string
}

/** Writes labels from left to right and leaves out those that would run into the one before. */
export function labels(ctx: CanvasRenderingContext2D): (text: string, x: number, y: number) => void {
  let end = -Infinity
  return (text, x, y) => {
    const half = ctx.measureText(text).width / 2
    if (x - half < end + 4) return
    end = x + half
    ctx.fillText(text, x, y)
  }
}

export function axisX(s: Surface, f: Frame, p: Palette, a: Axis): void {
  const { ctx } = s
  ctx.font = FONT
  ctx.textAlign = 'center'
  ctx.textBaseline = 'top'
  const write = labels(ctx)
  for (const v of a.values) {
    const x = Math.round(a.at(v)) + 0.5
    ctx.strokeStyle = p.line
    ctx.beginPath()
    ctx.moveTo(x, f.top)
    ctx.lineTo(x, f.bottom)
    ctx.stroke()
    ctx.fillStyle = p.soft
    write(a.text(v), x, f.bottom + 3)
  }
  ctx.textAlign = 'right'
  ctx.fillText(a.title, f.right, f.bottom + 16)
}

export function axisY(s: Surface, f: Frame, p: Palette, a: Axis): void {
  const { ctx } = s
  ctx.font = FONT
  ctx.textAlign = 'right'
  ctx.textBaseline = 'middle'
  for (const v of a.values) {
    const y = Math.round(a.at(v)) + 0.5
    ctx.strokeStyle = p.line
    ctx.beginPath()
    ctx.moveTo(f.left, y)
    ctx.lineTo(f.right, y)
    ctx.stroke()
    ctx.fillStyle = p.soft
    ctx.fillText(a.text(v), f.left - 5, y)
  }
  ctx.textAlign = 'left'
  ctx.textBaseline = 'top'
  ctx.fillText(a.title, f.left, f.bottom + 16)
}
