import type { Palette } from '../shared/theme'
import type { Surface } from './surface'

const FONT = '11px "Source Sans 3", sans-serif'

/** Turned: what both share straight up. XY: left to the right and right upwards, as two deflections draw it. */
export type Way = 'turned' | 'xy'

/** Where a pair of samples lies. Turned, the left is to the left and opposed channels lie flat. */
export function place(left: number, right: number, way: Way = 'turned'): { x: number; y: number } {
  if (way === 'xy') return { x: left, y: right }
  return { x: (right - left) * Math.SQRT1_2, y: (left + right) * Math.SQRT1_2 }
}

/**
 * Two channels against each other: a dot a sample, and the energy by direction of the whole as a line about the middle.
 * The zone where the channels oppose is tinted; the dots' own scale follows their largest, so that quiet places are seen.
 */
export function paintGoniometer(
  s: Surface,
  p: Palette,
  dots: Float32Array | null,
  directions: readonly (readonly number[])[],
  way: Way = 'turned',
): void {
  const { ctx, width, height } = s
  const radius = Math.min(width, height) / 2 - 18
  const [cx, cy] = [width / 2, height / 2]
  ctx.save()
  ctx.translate(cx, cy)
  ctx.save()
  // The same picture for both ways: XY is the turned one mirrored about a line between its axes.
  const h = Math.SQRT1_2
  if (way === 'xy') ctx.transform(-h, -h, -h, h, 0, 0)
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
  directionLine(ctx, p, radius, directions)
  ctx.restore()
  if (dots) {
    let most = 1e-6
    for (const v of dots) most = Math.max(most, Math.abs(v))
    ctx.fillStyle = p.depth
    ctx.globalAlpha = 0.55
    const scale = (radius * 0.95) / (most * Math.SQRT2)
    for (let i = 0; i + 1 < dots.length; i += 2) {
      const at = place(dots[i]!, dots[i + 1]!, way)
      ctx.fillRect(at.x * scale - 1, -at.y * scale - 1, 2, 2)
    }
    ctx.globalAlpha = 1
  }
  ctx.restore()
  ctx.font = FONT
  ctx.fillStyle = p.soft
  ctx.textBaseline = 'middle'
  ctx.textAlign = 'center'
  const diagonal = radius * 0.78
  if (way === 'xy') {
    ctx.fillText('right', cx, cy - radius - 9)
    ctx.fillText('left', cx + radius - 14, cy - 10)
    ctx.fillText('middle', cx + diagonal, cy - diagonal)
  } else {
    ctx.fillText('middle', cx, cy - radius - 9)
    ctx.fillText('left', cx - diagonal, cy - diagonal)
    ctx.fillText('right', cx + diagonal, cy - diagonal)
  }
  ctx.fillStyle = p.caution
  const [first, second] = way === 'xy' ? [-0.5, 0.5] : [0, 0]
  ctx.fillText('opposed', cx - radius * (way === 'xy' ? 0.5 : 0.68), cy + 10 + first * radius)
  ctx.fillText('opposed', cx + radius * (way === 'xy' ? 0.5 : 0.68), cy + 10 + second * radius)
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
    // From the left alone, through the horizontal, to the right inverted.
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
