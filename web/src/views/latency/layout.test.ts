import { describe, expect, it } from 'vitest'
import { beside, depths, layout } from './layout'
import type { PathsView } from './usePaths'

const node = (id: string, kind: 'track' | 'group' | 'return' | 'output', stages: number[] = []) => ({
  id,
  kind,
  tracks: [],
  stages_frames: stages,
  own_frames: stages.reduce((a, b) => a + b, 0),
  first_frames: 0,
  last_frames: 0,
})
const edge = (from: number, to: number, frames = 0) => ({ from, to, frames, name: '', tap: 'after' as const })
/** Two tracks, one by a slow group and by a return; they meet at the output. */
const view = {
  nodes: [node('A', 'track'), node('B', 'track'), node('Group', 'group', [480, 20]), node('Return', 'return'), node('Out', 'output')],
  edges: [edge(0, 2), edge(1, 4), edge(0, 3), edge(2, 4, 500), edge(3, 4)],
  meetings: [{ node: 4, apart_frames: 500, early: 4, late: 3 }],
} as unknown as PathsView

describe('the map of currents', () => {
  it('flows from left to right, outputs last', () => {
    expect(depths(view)).toEqual([0, 0, 1, 1, 2])
    const { nodes } = layout(view)
    for (const e of view.edges) expect(nodes[e.to]!.x).toBeGreaterThan(nodes[e.from]!.end)
  })
  it('puts nothing over anything else', () => {
    const { nodes, width, height } = layout(view)
    for (const [i, a] of nodes.entries())
      for (const b of nodes.slice(i + 1)) if (a.x === b.x) expect(Math.abs(a.y - b.y)).toBeGreaterThanOrEqual(40)
    for (const n of nodes) expect(n.end <= width && n.y <= height && n.y > 0).toBe(true)
    const [first, second] = nodes[2]!.stages
    expect(first! > nodes[2]!.x && second! > first! && second! < nodes[2]!.end).toBe(true)
  })
  it('draws a step where copies meet unequally, the late one below', () => {
    const { nodes, edges } = layout(view)
    expect(nodes[4]!.step).toBeGreaterThan(0)
    expect(edges.map((e) => e.late)).toEqual([false, false, false, true, false])
    const ends = edges.map((e) => Number(e.path.split(' ').at(-1)))
    expect([ends[4]! < ends[1]!, ends[1]! < ends[3]!, ends[1] === nodes[4]!.y]).toEqual([true, true, true])
  })
  it('is walked by arrow keys', () => {
    const at = layout(view)
    expect(beside(view, at, 0, 'right')).toBe(2)
    expect(beside(view, at, 4, 'left')).toBe(1)
    expect([beside(view, at, 0, 'down'), beside(view, at, 1, 'up'), beside(view, at, 0, 'up')]).toEqual([1, 0, null])
  })
})
