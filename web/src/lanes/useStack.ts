import { computed, type Ref } from 'vue'
import type { Track } from '../api/client'
import { rowsOf } from '../session/deskRules'
import { useSession } from '../session/store'
import { heightOf, stacked, type Lane, type StackRow } from './rows'

/** A lag that is tried and not decided: the lane is drawn where it would sound. */
export interface Tried {
  id: string
  offset: number
}

/** The rows of a view: the pair alone, or all tracks in their groups; with the pair laid over one another below. */
export function useStack(view: { all: Ref<boolean>; overlay: Ref<boolean>; usual: Ref<number>; tried: Ref<Tried | null> }) {
  const store = useSession()

  function laneFor(t: Track): Lane {
    const group = store.desk.group(t.id)
    const lane = store.desk.lane(t.id)
    const solo = store.inOrder.some((o) => store.desk.lane(o.id).soloed || store.desk.group(o.id)?.soloed)
    // While a grip moves it, everything of it moves along.
    const offset = view.tried.value?.id === t.id ? view.tried.value.offset : t.correction.offset_frames
    const by = offset - t.correction.offset_frames
    return {
      id: t.id,
      name: t.name,
      startFrame: t.start_frame,
      frames: t.frames,
      offset,
      invert: t.correction.invert,
      pieces: by === 0 ? t.pieces : t.pieces.map((p) => ({ ...p, from: p.from + by, to: p.to + by, start: p.start + by })),
      anchor: t.id === store.anchorId,
      dim: solo ? !(lane.soloed || group?.soloed) : lane.muted || (group?.muted ?? false),
    }
  }

  const pair = computed(() => [store.track(store.pair.a), store.track(store.pair.b)].filter((t) => t !== undefined))
  const rows = computed<StackRow[]>(() => {
    const wanted = view.all.value
      ? rowsOf(store.desk.state, store.tracks)
      : pair.value.map((track) => ({ kind: 'lane' as const, track, group: store.desk.group(track.id) }))
    const made = stacked(wanted, laneFor, store.desk.state, view.usual.value)
    const [a, b] = pair.value
    if (view.overlay.value && a && b) {
      made.push({
        kind: 'overlay',
        id: 'overlay',
        a: laneFor(a),
        b: laneFor(b),
        top: heightOf(made),
        height: Math.max(view.usual.value, 60),
      })
    }
    return made
  })
  const hidden = computed(() => store.tracks.filter((t) => store.desk.lane(t.id).hidden || store.desk.group(t.id)?.hidden))
  return { rows, hidden }
}
