import type { Schemas } from '../../api/client'
import { fixed, samples, type Unit } from '../../shared/units'

export type PathMap = Schemas['PathMap']
export type PathNode = Schemas['PathNode']
export type PathStage = Schemas['PathStage']
export type PathNodeKind = Schemas['PathNodeKind']
export type PathTap = Schemas['PathTap']

/** A node, or one of its stages. */
export interface Spot {
  node: string
  stage: number | null
}

/** Tracks that the session has in one map at first, all into one output. */
export function ofTracks(names: readonly string[], rateHz: number): PathMap {
  return withTracks({ sample_rate_hz: rateHz, nodes: [{ id: 'Out', kind: 'output', stages: [], to: [] }] }, names)
}

/** A name that no node has yet. */
export function freshName(map: PathMap, base: string): string {
  const taken = new Set(map.nodes.map((n) => n.id))
  if (!taken.has(base)) return base
  for (let i = 2; ; i++) if (!taken.has(`${base} ${i}`)) return `${base} ${i}`
}

/** Adds the tracks that are not in it, before all else, each into the first output. */
export function withTracks(map: PathMap, names: readonly string[]): PathMap {
  const taken = new Set(map.nodes.map((n) => n.id))
  const out = map.nodes.find((n) => n.kind === 'output')
  const fresh = [...new Set(names)].filter((id) => !taken.has(id))
  const tracks = fresh.map((id): PathNode => ({ id, kind: 'track', stages: [], to: out ? [{ node: out.id, tap: 'after' }] : [] }))
  const last = 1 + Math.max(-1, ...map.nodes.map((n, i) => (n.kind === 'track' ? i : -1)))
  return { ...map, nodes: [...map.nodes.slice(0, last), ...tracks, ...map.nodes.slice(last)] }
}

/** Adds a node that feeds the first output, before the outputs. */
export function addNode(map: PathMap, kind: PathNodeKind, id: string): PathMap {
  const first = map.nodes.findIndex((n) => n.kind === 'output')
  const out = map.nodes[first]
  const to = out && kind !== 'output' ? [{ node: out.id, tap: 'after' as const }] : []
  const at = kind === 'output' || first < 0 ? map.nodes.length : first
  return { ...map, nodes: [...map.nodes.slice(0, at), { id, kind, stages: [], to }, ...map.nodes.slice(at)] }
}

function change(map: PathMap, id: string, with_: (n: PathNode) => PathNode): PathMap {
  return { ...map, nodes: map.nodes.map((n) => (n.id === id ? with_(n) : n)) }
}

/** Takes a node out, with all that feeds it. */
export function removeNode(map: PathMap, id: string): PathMap {
  const rest = map.nodes.filter((n) => n.id !== id)
  return { ...map, nodes: rest.map((n) => ({ ...n, to: n.to?.filter((s) => s.node !== id) })) }
}

/** Another name, also where the node is fed. */
export function renameNode(map: PathMap, was: string, id: string): PathMap {
  const fed = (n: PathNode) => n.to?.map((s) => (s.node === was ? { ...s, node: id } : s))
  return { ...map, nodes: map.nodes.map((n) => ({ ...n, id: n.id === was ? id : n.id, to: fed(n) })) }
}

/** Another kind; an output feeds nothing, a track is fed by nothing. */
export function setKind(map: PathMap, id: string, kind: PathNodeKind): PathMap {
  const changed = change(map, id, (n) => ({ ...n, kind, to: kind === 'output' ? [] : n.to }))
  if (kind !== 'track') return changed
  return { ...changed, nodes: changed.nodes.map((n) => ({ ...n, to: n.to?.filter((s) => s.node !== id) })) }
}

/** Connects two nodes, or takes the connection away. */
export function toggleFeed(map: PathMap, from: string, to: string, tap: PathTap): PathMap {
  return change(map, from, (n) => {
    const rest = (n.to ?? []).filter((s) => s.node !== to || (s.tap ?? 'after') !== tap)
    return { ...n, to: rest.length < (n.to ?? []).length ? rest : [...rest, { node: to, tap }] }
  })
}

/** Puts stages behind one of a node's stages, or behind all of them. */
export function addStages(map: PathMap, id: string, after: number | null, stages: readonly PathStage[]): PathMap {
  return change(map, id, (n) => {
    const own = n.stages ?? []
    const at = after === null ? own.length : after + 1
    return { ...n, stages: [...own.slice(0, at), ...stages, ...own.slice(at)] }
  })
}

export function changeStage(map: PathMap, id: string, at: number, to: Partial<PathStage>): PathMap {
  return change(map, id, (n) => ({ ...n, stages: (n.stages ?? []).map((s, i) => (i === at ? { ...s, ...to } : s)) }))
}

export function removeStage(map: PathMap, id: string, at: number): PathMap {
  return change(map, id, (n) => ({ ...n, stages: (n.stages ?? []).filter((_, i) => i !== at) }))
}

/** A stage's latency as it was written. */
export function latencyText(s: PathStage): string {
  if ((s.latency_samples ?? null) === null) return (s.latency_ms ?? null) === null ? '' : `${plain(s.latency_ms!)} ms`
  return `${plain(s.latency_samples!)} samples` + ((s.at_rate_hz ?? null) === null ? '' : ` at ${plain(s.at_rate_hz! / 1000)} kHz`)
}

/** What a stage says of itself, in ms. */
export function statedMs(s: PathStage, rateHz: number): number {
  return s.latency_ms ?? ((s.latency_samples ?? 0) * 1000) / (s.at_rate_hz ?? rateHz)
}

/** Without zeros at the end. */
function plain(value: number): string {
  return String(Number(value.toFixed(6)))
}

/** A latency as typed: "10 ms", "441 samples", "441 samples at 44.1 kHz"; without a unit, in the one chosen where that is ms or
 * samples, else ms. Null when it cannot be read. */
export function parseLatency(text: string, unit: Unit): Partial<PathStage> | null {
  const found = /^(\d*[.,]?\d+)\s*(ms|s|samples?|smp)?(?:\s*(?:at|@)\s*(\d*[.,]?\d+)\s*(k?hz)?)?$/i.exec(text.trim())
  if (!found) return null
  const number = (s: string) => Number(s.replace(',', '.'))
  const value = number(found[1]!)
  const told = found[2]?.toLowerCase() ?? (unit === 'samples' || found[3] ? 'samples' : 'ms')
  if (told === 'ms' || told === 's') {
    if (found[3]) return null
    return { latency_ms: told === 's' ? value * 1000 : value, latency_samples: undefined, at_rate_hz: undefined }
  }
  const rate =
    found[3] === undefined ? undefined : number(found[3]) * (found[4]?.toLowerCase() === 'hz' ? 1 : number(found[3]) < 1000 ? 1000 : 1)
  return { latency_ms: undefined, latency_samples: value, at_rate_hz: rate }
}

/** A latency for the map: short. */
export function short(frames: number, unit: Unit, rateHz: number): string {
  return unit === 'samples' ? samples(Math.round(frames * 100) / 100) : fixed((frames / rateHz) * 1000, frames / rateHz < 0.1 ? 2 : 1)
}

/** How {@link short} counts. */
export function shortUnit(unit: Unit): string {
  return unit === 'samples' ? 'samples' : 'ms'
}
