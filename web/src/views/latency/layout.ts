import type { Schemas } from '../../api/client'

type PathsView = Schemas['PathsView']

const ROW = 43
const STAGE = 50
const GAP = 84
const LEFT = 14
const TOP = 24
/** The greatest step, in pixels. */
const STEP = 22

export interface PlacedNode {
  /** Where its line begins and ends. */
  x: number
  end: number
  y: number
  /** Middle of each stage. */
  stages: number[]
  /** Height of the step at its input; 0 where all arrives together. */
  step: number
}

export interface PlacedEdge {
  path: string
  late: boolean
}

export interface Layout {
  nodes: PlacedNode[]
  edges: PlacedEdge[]
  width: number
  height: number
}

/** Columns: how many nodes lie before a node at most; outputs in the last one. */
export function depths(view: PathsView): number[] {
  const depth = view.nodes.map(() => 0)
  // As often as there are nodes at most: the paths have no loop.
  for (let again = true, turns = 0; again && turns <= view.nodes.length; turns++) {
    again = false
    for (const e of view.edges) {
      if (depth[e.to]! < depth[e.from]! + 1) {
        depth[e.to] = depth[e.from]! + 1
        again = true
      }
    }
  }
  const most = Math.max(0, ...depth)
  return depth.map((d, i) => (view.nodes[i]!.kind === 'output' && d > 0 ? most : d))
}

/** Rows of a column: each as near to where it is fed from as there is room, in that order. */
function rows(wanted: number[]): number[] {
  const order = wanted.map((_, i) => i).sort((a, b) => wanted[a]! - wanted[b]! || a - b)
  const at = wanted.map(() => 0)
  let free = -Infinity
  for (const i of order) {
    at[i] = Math.max(wanted[i]!, free)
    free = at[i]! + ROW
  }
  // What was pushed down is drawn up again as a whole, as far as there is room.
  const pushed = wanted.reduce((sum, w, i) => sum + at[i]! - w, 0) / Math.max(1, wanted.length)
  const up = Math.min(pushed, ...at)
  return at.map((y) => y - up)
}

/** Width of a column: its longest line of stages. */
function wideOf(view: PathsView, depth: number[], column: number): number {
  const own = view.nodes.filter((_, i) => depth[i] === column)
  return Math.max(110, ...own.map((n) => 26 + STAGE * n.stages_frames.length))
}

/** Places of everything on the map of currents: left to right, by itself; as wide as there is room, or wider where it must be. */
export function layout(view: PathsView, room = 0): Layout {
  const depth = depths(view)
  const columns = Math.max(0, ...depth) + 1
  const wides = Array.from({ length: columns }, (_, column) => wideOf(view, depth, column))
  const least = wides.reduce((a, b) => a + b, 0) + 2 * LEFT
  const gap = Math.min(480, Math.max(GAP, (room - least) / Math.max(1, columns - 1)))
  const y = view.nodes.map(() => 0)
  const nodes: PlacedNode[] = view.nodes.map(() => ({ x: 0, end: 0, y: 0, stages: [], step: 0 }))
  const most = Math.max(1e-9, ...view.meetings.map((m) => m.apart_frames))
  let x = LEFT
  for (let column = 0; column < columns; column++) {
    const own = view.nodes.map((_, i) => i).filter((i) => depth[i] === column)
    const wanted = own.map((i, k) => {
      const from = view.edges.filter((e) => e.to === i).map((e) => y[e.from]!)
      return from.length > 0 ? from.reduce((a, b) => a + b, 0) / from.length : k * ROW
    })
    const placed = rows(wanted)
    // A column that is not fed keeps its order one below another.
    own.forEach((i, k) => (y[i] = column === 0 ? k * ROW : placed[k]!))
    const wide = wides[column]!
    for (const i of own) {
      const count = view.nodes[i]!.stages_frames.length
      const met = view.meetings.find((m) => m.node === i)
      nodes[i] = {
        x,
        end: x + wide,
        y: TOP + y[i]!,
        stages: Array.from({ length: count }, (_, k) => x + 34 + STAGE * k),
        step: met ? 6 + (STEP - 6) * (met.apart_frames / most) : 0,
      }
    }
    x += wide + gap
  }
  // The two copies that are farthest apart come in at the ends of the step, all else between them.
  const [early, late] = [new Set(view.meetings.map((m) => m.early)), new Set(view.meetings.map((m) => m.late))]
  const edges = view.edges.map((e, i) => {
    const [from, to] = [nodes[e.from]!, nodes[e.to]!]
    const shift = late.has(i) ? to.step / 2 : early.has(i) ? -to.step / 2 : 0
    const x0 = e.tap === 'before' ? from.x + 8 : from.end
    const bend = Math.max(30, (to.x - x0) / 2)
    return { path: `M${x0} ${from.y}C${x0 + bend} ${from.y} ${to.x - bend} ${to.y + shift} ${to.x} ${to.y + shift}`, late: late.has(i) }
  })
  const height = TOP + Math.max(0, ...y) + ROW
  return { nodes, edges, width: x - gap + LEFT, height }
}

/** The stage or node next to another, for the arrow keys: right and left along the flow, up and down within a column. */
export function beside(view: PathsView, at: Layout, node: number, way: 'left' | 'right' | 'up' | 'down'): number | null {
  const here = at.nodes[node]
  if (!here) return null
  if (way === 'right') return view.edges.find((e) => e.from === node)?.to ?? null
  if (way === 'left') return view.edges.find((e) => e.to === node)?.from ?? null
  const column = at.nodes.map((n, i) => ({ n, i })).filter(({ n, i }) => n.x === here.x && i !== node)
  const side = column.filter(({ n }) => (way === 'up' ? n.y < here.y : n.y > here.y))
  side.sort((a, b) => Math.abs(a.n.y - here.y) - Math.abs(b.n.y - here.y))
  return side[0]?.i ?? null
}
