import type { Desk, DeskGroup, LaneDesk, Plans, PlansPatch } from '../api/client'

/** What the lanes need to know of a track. */
interface Tracked {
  id: string
}

/** One row of the lanes: the head of a group, or a track. */
export type Row<T extends Tracked> = { kind: 'group'; group: Group; tracks: T[] } | { kind: 'lane'; track: T; group: Group | null }
export type Group = DeskGroup
export type Lane = LaneDesk & { pan: number | null }

export function usualLane(): Lane {
  return { height: 1, hidden: false, muted: false, soloed: false, pan: null, level_db: 0 }
}

export function freshDesk(): Desk {
  return {
    order: [],
    lanes: {},
    groups: [],
    markers: [],
    range: null,
    listening: {
      scope: 'session',
      corrected: true,
      mono: false,
      difference: false,
      dim: false,
      swap: false,
      matched: false,
      click: false,
      speed: 1,
    },
    ruler: 'clock',
    seat: 'audience',
    columns: [],
    plans: { timing: null, layers: [], takes: [], meant: [], comp: null, passages: null, doubles: null, retunes: [], wide: [] },
  }
}

/** Plans with what a change says of them, as the server lays it: one of a kind for a source and its layer, and for two takes. */
export function plansLaid(plans: Plans, { timing, layer, takes, meant, comp, passages, doubles, retune, widen }: PlansPatch): Plans {
  return {
    timing: timing ?? plans.timing ?? null,
    layers: layer ? [...plans.layers.filter((l) => l.source !== layer.source || l.layer !== layer.layer), layer] : plans.layers,
    takes: takes ? [...plans.takes.filter((t) => t.first !== takes.first || t.second !== takes.second), takes] : plans.takes,
    meant: meant ?? plans.meant,
    comp: comp ?? plans.comp ?? null,
    passages: passages ?? plans.passages ?? null,
    doubles: doubles ?? plans.doubles ?? null,
    wide: widen ? [...plans.wide.filter((w) => w.track !== widen.track), widen] : plans.wide,
    retunes: retune ? [...plans.retunes.filter((r) => r.track !== retune.track), retune] : plans.retunes,
  }
}

export function laneOf(desk: Desk, id: string): Lane {
  return { ...usualLane(), ...desk.lanes[id] }
}

export function groupOf(desk: Desk, id: string): Group | null {
  return desk.groups.find((g) => g.tracks.includes(id)) ?? null
}

/** Tracks in the order of their lanes; those nobody placed follow as the session has them. */
export function ordered<T extends Tracked>(desk: Desk, tracks: readonly T[]): T[] {
  const place = new Map(desk.order.map((id, i) => [id, i]))
  return [...tracks].sort((a, b) => (place.get(a.id) ?? Infinity) - (place.get(b.id) ?? Infinity) || tracks.indexOf(a) - tracks.indexOf(b))
}

/** The rows to draw: a group stands where the first of its members is, its members below its head unless it is folded. */
export function rowsOf<T extends Tracked>(desk: Desk, tracks: readonly T[]): Row<T>[] {
  const all = ordered(desk, tracks)
  const rows: Row<T>[] = []
  const done = new Set<string>()
  for (const track of all) {
    const group = groupOf(desk, track.id)
    if (!group) {
      if (!laneOf(desk, track.id).hidden) rows.push({ kind: 'lane', track, group: null })
      continue
    }
    if (done.has(group.id) || group.hidden) continue
    done.add(group.id)
    const members = all.filter((t) => group.tracks.includes(t.id))
    rows.push({ kind: 'group', group, tracks: members })
    if (!group.folded) for (const t of members) if (!laneOf(desk, t.id).hidden) rows.push({ kind: 'lane', track: t, group })
  }
  return rows
}

/** Which of these are heard: solo wins over mute, of a lane as of its group. */
export function sounding(desk: Desk, ids: readonly string[]): string[] {
  const soloed = (id: string) => laneOf(desk, id).soloed || groupOf(desk, id)?.soloed
  const alone = ids.filter(soloed)
  if (alone.length > 0) return alone
  return ids.filter((id) => !laneOf(desk, id).muted && !groupOf(desk, id)?.muted)
}

/** The order when a track is dropped before another, or at the end. */
export function moved(ids: readonly string[], id: string, before: string | null): string[] {
  const rest = ids.filter((x) => x !== id)
  const at = before === null ? rest.length : rest.indexOf(before)
  return [...rest.slice(0, at), id, ...rest.slice(at)]
}

/** Groups with these tracks in one of their own: nobody is in two, and none is left empty. */
export function grouped(groups: readonly Group[], made: Group): Group[] {
  const rest = groups
    .filter((g) => g.id !== made.id)
    .map((g) => ({ ...g, tracks: g.tracks.filter((t) => !made.tracks.includes(t)) }))
    .filter((g) => g.tracks.length > 0)
  return made.tracks.length > 0 ? [...rest, made] : rest
}
