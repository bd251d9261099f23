import type { Palette } from '../shared/theme'
import type { Surface } from './surface'

const FONT = '11px "Source Sans 3", sans-serif'

/** Where a pair of samples lies: the middle straight up, the left to the left; opposed channels lie flat. */
export function place(left: number, right: number): { x: number; y: number } {
  return { x: (right - left) * Math.SQRT1_2, y: (left + right) * Math.SQRT1_2 }
}

/**
 * Two channels against each other: a dot a sample, and the energy by direction of the whole as a line about the middle.
 * The zone where the channels oppose is tinted; the dots' own scale follows their largest, so that quiet places are seen.
 */
export function paintGoniometer(s: Surface, p: Palette, dots: Float32Array | null, directions: readonly (readonly number[])[]): void {
  const { ctx, width, height } = s
  const radius = Math.min(width, height) / 2 - 18
  const [cx, cy] = [width / 2, height / 2]
  ctx.save()
  ctx.translate(cx, cy)
  // Opposed: nearer to the horizontal than to the vertical.
  ctx.fillStyle = p.caution
  ctx.globalAlpha = 0.1
  for (const side of [0, Math.PI]) {
    ctx.beginPath()
    ctx.moveTo(0, 0)
    ctx.arc(0, 0, radius, side - Math.PI / 4, side + Math.PI / 4)
    ctx.fill()
  }
  ctx.globalAlpha = 1
  ctx.strokeStyle = p.line
  ctx.beginPath()
  ctx.arc(0, 0, radius, 0, Math.PI * 2)
  for (const turn of [0, 1, 2, 3]) {
    const a = (turn * Math.PI) / 4
    ctx.moveTo(-Math.cos(a) * radius, -Math.sin(a) * radius)
    ctx.lineTo(Math.cos(a) * radius, Math.sin(a) * radius)
  }
  ctx.stroke()
  if (dots) {
    let most = 1e-6
    for (const v of dots) most = Math.max(most, Math.abs(v))
    ctx.fillStyle = p.depth
    ctx.globalAlpha = 0.55
    const scale = (radius * 0.95) / (most * Math.SQRT2)
    for (let i = 0; i + 1 < dots.length; i += 2) {
      const at = place(dots[i]!, dots[i + 1]!)
      ctx.fillRect(at.x * scale - 1, -at.y * scale - 1, 2, 2)
    }
    ctx.globalAlpha = 1
  }
  directionLine(ctx, p, radius, directions)
  ctx.restore()
  ctx.font = FONT
  ctx.fillStyle = p.soft
  ctx.textBaseline = 'middle'
  ctx.textAlign = 'center'
  ctx.fillText('middle', cx, cy - radius - 9)
  ctx.fillText('left', cx - radius * 0.78, cy - radius * 0.78)
  ctx.fillText('right', cx + radius * 0.78, cy - radius * 0.78)
  ctx.fillStyle = p.caution
  ctx.fillText('opposed', cx - radius * 0.68, cy + 10)
  ctx.fillText('opposed', cx + radius * 0.68, cy + 10)
}

/** Energy by direction: upward what both push alike, sideways what they push against each other. */
function directionLine(ctx: CanvasRenderingContext2D, p: Palette, radius: number, directions: readonly (readonly number[])[]): void {
  const [alike = [], opposed = []] = directions
  const steps = alike.length
  if (steps === 0) return
  const most = Math.max(...alike, ...opposed, 1e-9)
  const length = (v: number) => radius * Math.max(0.02, Math.sqrt(v / most) * 0.97)
  ctx.lineWidth = 2
  for (const [values, ink, turn] of [
    [alike, p.land, (part: number) => -Math.PI * 0.75 + part * (Math.PI / 2)],
    // From the left alone by way of the flat to the right turned over.
    [opposed, p.caution, (part: number) => -Math.PI * 0.75 - part * (Math.PI / 2)],
  ] as const) {
    ctx.strokeStyle = ink
    ctx.beginPath()
    values.forEach((v, i) => {
      const a = turn((i + 0.5) / steps)
      const r = length(v)
      if (i === 0) ctx.moveTo(Math.cos(a) * r, Math.sin(a) * r)
      else ctx.lineTo(Math.cos(a) * r, Math.sin(a) * r)
    })
    ctx.stroke()
  }
  ctx.lineWidth = 1
}
