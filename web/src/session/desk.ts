import { computed, shallowRef } from 'vue'
import { ask, client, type Desk, type DeskPatch } from '../api/client'
import { tellTrouble } from '../shared/notice'
import { freshDesk, grouped, groupOf, laneOf, plansLaid, type Group, type Lane } from './deskRules'

/** Milliseconds that changes are gathered before they are sent. */
const GATHER_MS = 150

/**
 * How the session is looked at and listened to. Changes are seen and heard at once, kept by the server, and shown in every
 * window of the session; of what two windows change, each keeps what the other did not touch.
 */
export function makeDesk(session: () => string, heard: () => void) {
  const state = shallowRef<Desk>(freshDesk())
  let pending: DeskPatch | null = null
  let underWay: DeskPatch | null = null
  let timer = 0
  let sending: Promise<void> = Promise.resolve()

  const lane = (id: string): Lane => laneOf(state.value, id)
  const group = (id: string): Group | null => groupOf(state.value, id)
  const groups = computed(() => state.value.groups)
  const listening = computed(() => state.value.listening)

  /** What the server has, with what is still to be sent on top. */
  function take(desk: Desk): void {
    const sent = underWay ? laid(desk, underWay) : desk
    state.value = pending ? laid(sent, pending) : sent
  }

  function laid(desk: Desk, patch: DeskPatch): Desk {
    const { lanes, range, label: _, timing, layer, takes, meant, comp, passages, doubles, retune, widen, ...rest } = patch
    const given = Object.fromEntries(Object.entries(rest).filter(([, v]) => v !== undefined && v !== null))
    const loop = range ? (range.to > range.from ? range : null) : desk.range
    const plans = plansLaid(desk.plans, { timing, layer, takes, meant, comp, passages, doubles, retune, widen })
    return { ...desk, ...given, range: loop ?? null, lanes: { ...desk.lanes, ...lanes }, plans }
  }

  /** Shows a change while it is being made, as an edge is dragged: `change` with the same keeps it. */
  function preview(patch: DeskPatch): void {
    state.value = laid(state.value, patch)
  }

  /** `label`: for the history. Only what has one is taken back by undo. */
  function change(patch: DeskPatch, label?: string): void {
    state.value = laid(state.value, patch)
    if (label !== undefined) patch = { ...patch, label }
    pending = { ...pending, ...patch, lanes: { ...pending?.lanes, ...patch.lanes } }
    clearTimeout(timer)
    timer = window.setTimeout(() => void flush(), GATHER_MS)
    heard()
  }

  /** Sends what is gathered; one request after the other. */
  function flush(): Promise<void> {
    clearTimeout(timer)
    const [mine, of] = [pending, session()]
    pending = null
    if (mine && of !== '') sending = sending.then(() => send(mine, of))
    return sending
  }

  async function send(mine: DeskPatch, of: string): Promise<void> {
    underWay = mine
    try {
      const got = await ask(client.PATCH('/api/sessions/{session}/desk', { params: { path: { session: of } }, body: mine }))
      underWay = null
      if (of === session()) take(got)
    } catch (e) {
      underWay = null
      tellTrouble((e as Error).message)
    }
  }

  function setLane(id: string, part: Partial<Lane>, label?: string): void {
    change({ lanes: { [id]: { ...lane(id), ...part } } }, label)
  }

  function setLanes(ids: readonly string[], part: Partial<Lane>): void {
    change({ lanes: Object.fromEntries(ids.map((id) => [id, { ...lane(id), ...part }])) })
  }

  function setGroup(id: string, part: Partial<Group>): void {
    const group = groups.value.find((g) => g.id === id)
    const label = group && part.hidden !== undefined ? `${group.name} ${part.hidden ? 'hidden' : 'shown'}` : undefined
    change({ groups: groups.value.map((g) => (g.id === id ? { ...g, ...part } : g)) }, label)
  }

  /** Makes a group of these tracks, or gives one other members. */
  function putGroup(made: Partial<Group> & { tracks: string[]; name: string }): void {
    const colour = made.colour ?? groups.value.length % 8
    const usual = { id: crypto.randomUUID(), folded: false, hidden: false, muted: false, soloed: false, together: true }
    const label = `Group ${made.name} ${made.id ? 'changed' : 'made'}`
    change({ groups: grouped(groups.value, { ...usual, ...made, colour }) }, label)
  }

  function dissolve(id: string): void {
    const name = groups.value.find((g) => g.id === id)?.name ?? ''
    change({ groups: groups.value.filter((g) => g.id !== id) }, `Group ${name} dissolved`)
  }

  /** A loop that ends where it begins is none. */
  function setRange(range: NonNullable<Desk['range']> | null): void {
    change({ range: range ?? { from: 0, to: 0, on: false, pre_roll_s: 0 } })
  }

  function setListening(part: Partial<typeof listening.value>): void {
    change({ listening: { ...listening.value, ...part } })
  }

  function reset(): void {
    clearTimeout(timer)
    pending = null
    state.value = freshDesk()
  }

  return {
    state,
    groups,
    listening,
    lane,
    group,
    take,
    preview,
    change,
    flush,
    setLane,
    setLanes,
    setGroup,
    putGroup,
    dissolve,
    setListening,
    setRange,
    reset,
  }
}
