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

/** Metres that an ellipse may widen the chart by: one vague place does not make all others small. */
const MOST_ELLIPSE_M = 1

/** Fits everything with its ellipses, to scale, into a box with this margin. */
export function scaleOf(points: readonly Point[], width: number, height: number, margin: number): Scale {
  const range = (of: (p: Point) => number, reach: (p: Point) => number): [number, number] => {
    const within = points.map((p) => [of(p), Math.min(reach(p), MOST_ELLIPSE_M)] as const)
    const [low, high] = [Math.min(...within.map(([v, r]) => v - r)), Math.max(...within.map(([v, r]) => v + r))]
    const lack = Math.max(0, LEAST_M - (high - low)) / 2
    return [low - lack, high + lack]
  }
  const reach = (along: (turn: number) => number, across: (turn: number) => number) => (p: Point) =>
    2 * Math.hypot(p.at.ellipse_m[0]! * along(p.at.turn_rad), p.at.ellipse_m[1]! * across(p.at.turn_rad))
  const [left, right] = range((p) => p.at.right_m, reach(Math.cos, Math.sin))
  const [back, front] = range((p) => p.at.front_m, reach(Math.sin, Math.cos))
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
const DIGIT = 7.4
const LINE = 13

function boxOf(x: number, y: number, long: number, anchor: 'start' | 'middle' | 'end'): Box {
  const left = x - (anchor === 'middle' ? long / 2 : anchor === 'end' ? long : 0)
  return { left, top: y - LINE / 2, right: left + long, bottom: y + LINE / 2 }
}

const dots = (points: readonly Point[], s: Scale): Box[] => points.map((p) => boxOf(s.x(p.at.right_m), s.y(p.at.front_m), LINE, 'middle'))

/** A place for every name, beside its point, over other names and points as little as can be; the first ones choose first. */
export function labelsOf(points: readonly Point[], s: Scale, width: number, height: number): Label[] {
  const taken = dots(points, s)
  return points.map((p) => {
    const [x, y, long] = [s.x(p.at.right_m), s.y(p.at.front_m), p.name.length * LETTER]
    const tries = [9, 20, 34, 50].flatMap((away) =>
      [0, 180, 90, 270, 40, 140, 220, 320].map((turn) => {
        const [dx, dy] = [Math.cos((turn * Math.PI) / 180) * away, Math.sin((turn * Math.PI) / 180) * away]
        const anchor = Math.abs(dx) < 4 ? ('middle' as const) : dx > 0 ? ('start' as const) : ('end' as const)
        const box = boxOf(x + dx, y + dy, long, anchor)
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

interface End {
  x: number
  y: number
}

/** Where along its line each text stands so that it covers neither a point, a name nor another text; none where there is no such place. */
export function textsOn(
  lines: readonly { from: End; to: End; text: string }[],
  points: readonly Point[],
  labels: readonly Label[],
  s: Scale,
): (End | null)[] {
  const names = points.map((p, i) => boxOf(labels[i]!.x, labels[i]!.y, p.name.length * LETTER, labels[i]!.anchor))
  const taken = [...dots(points, s), ...names]
  return lines.map(({ from, to, text }) => {
    for (const part of [0.66, 0.5, 0.8, 0.35, 0.9, 0.2]) {
      const [x, y] = [from.x + part * (to.x - from.x), from.y + part * (to.y - from.y)]
      const box = boxOf(x, y, text.length * DIGIT, 'middle')
      if (text === '' || taken.some((b) => overlap(box, b) > 0)) continue
      taken.push(box)
      return { x, y }
    }
    return null
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
