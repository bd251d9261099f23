/** The chart of the stage: metres to pixels, names that do not cover each other, distances. What stands where comes from the server. */
import type { Schemas } from '../../api/client'

type Stand = Schemas['Stand']

export interface Point {
  key: string
  what: 'source' | 'near' | 'far'
  name: string
  /** Row or track, by index. */
  index: number
  at: Stand
  /** Somebody typed something about it. */
  typed: boolean
}

/** From metres to pixels: right is right, the audience is below. */
export interface Scale {
  perM: number
  x: (rightM: number) => number
  y: (frontM: number) => number
}

/** Metres that a chart shows at least, so that one microphone does not fill it. */
const LEAST_M = 1.5

/** Fits everything, to scale, into a box with this margin. */
export function scaleOf(points: readonly Point[], width: number, height: number, margin: number): Scale {
  const range = (of: (p: Point) => number): [number, number] => {
    const values = points.map(of)
    const [low, high] = [Math.min(...values), Math.max(...values)]
    const lack = Math.max(0, LEAST_M - (high - low)) / 2
    return [low - lack, high + lack]
  }
  const [left, right] = range((p) => p.at.right_m)
  const [back, front] = range((p) => p.at.front_m)
  const perM = Math.max(1, Math.min((width - 2 * margin) / (right - left), (height - 2 * margin) / (front - back)))
  const middle = { x: (left + right) / 2, y: (back + front) / 2 }
  return { perM, x: (m) => width / 2 + (m - middle.x) * perM, y: (m) => height / 2 + (m - middle.y) * perM }
}

/** Metres of the scale bar: a round number that is at most this many pixels. */
export function barOf(perM: number, most: number): number {
  const round = [0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 50]
  return round.filter((m) => m * perM <= most).at(-1) ?? round[0]!
}

export interface Label {
  x: number
  y: number
  anchor: 'start' | 'middle' | 'end'
  /** It had to go further away: a line leads to its point. */
  far: boolean
}

interface Box {
  left: number
  top: number
  right: number
  bottom: number
}

const overlap = (a: Box, b: Box) =>
  Math.max(0, Math.min(a.right, b.right) - Math.max(a.left, b.left)) * Math.max(0, Math.min(a.bottom, b.bottom) - Math.max(a.top, b.top))

const LETTER = 6.2
const LINE = 13

/** A place for every name, beside its point, over other names and points as little as can be; the first ones choose first. */
export function labelsOf(points: readonly Point[], s: Scale, width: number, height: number): Label[] {
  const taken: Box[] = points.map((p) => {
    const [x, y] = [s.x(p.at.right_m), s.y(p.at.front_m)]
    return { left: x - 6, top: y - 6, right: x + 6, bottom: y + 6 }
  })
  return points.map((p) => {
    const [x, y, long] = [s.x(p.at.right_m), s.y(p.at.front_m), p.name.length * LETTER]
    const tries = [9, 20, 34, 50].flatMap((away) =>
      [0, 180, 90, 270, 40, 140, 220, 320].map((turn) => {
        const [dx, dy] = [Math.cos((turn * Math.PI) / 180) * away, Math.sin((turn * Math.PI) / 180) * away]
        const anchor = Math.abs(dx) < 4 ? ('middle' as const) : dx > 0 ? ('start' as const) : ('end' as const)
        const left = x + dx - (anchor === 'middle' ? long / 2 : anchor === 'end' ? long : 0)
        const box = { left, top: y + dy - LINE / 2, right: left + long, bottom: y + dy + LINE / 2 }
        const outside = Math.max(0, -box.left) + Math.max(0, box.right - width) + Math.max(0, -box.top) + Math.max(0, box.bottom - height)
        const covered = taken.reduce((sum, b) => sum + overlap(box, b), 0)
        return { label: { x: x + dx, y: y + dy, anchor, far: away > 20 }, box, cost: covered + 40 * outside + away }
      }),
    )
    const best = tries.reduce((a, b) => (b.cost < a.cost ? b : a))
    taken.push(best.box)
    return best.label
  })
}

export interface Sounding {
  metres: number
  /** One standard deviation along the line. */
  deviation: number
}

/** How far two are apart, in the room, and how sure that is by their ellipses. */
export function sounding(a: Stand, b: Stand): Sounding {
  const d = [b.right_m - a.right_m, b.front_m - a.front_m, b.up_m - a.up_m] as const
  const flat = Math.hypot(d[0], d[1])
  const along = Math.atan2(d[1], d[0])
  const variance = (s: Stand) => {
    const turn = along - s.turn_rad
    return (s.ellipse_m[0]! * Math.cos(turn)) ** 2 + (s.ellipse_m[1]! * Math.sin(turn)) ** 2
  }
  return { metres: Math.hypot(flat, d[2]), deviation: Math.sqrt(variance(a) + variance(b)) }
}

/** The next point in a direction on the screen, for the arrow keys; none where nothing lies there. */
export function nextPoint(points: readonly Point[], from: Point, dx: number, dy: number): Point | null {
  const cost = (p: Point) => {
    const [right, down] = [p.at.right_m - from.at.right_m, p.at.front_m - from.at.front_m]
    const along = right * dx + down * dy
    return along > 0.001 ? Math.hypot(right, down) + 2 * Math.abs(right * dy - down * dx) : Infinity
  }
  const others = points.filter((p) => p.key !== from.key && cost(p) < Infinity)
  return others.length === 0 ? null : others.reduce((a, b) => (cost(b) < cost(a) ? b : a))
}
