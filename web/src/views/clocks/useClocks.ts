import { ref } from 'vue'
import { ask, client, type Schemas } from '../../api/client'
import { useDerived } from '../../session/derived'
import { useSession } from '../../session/store'
import { tellTrouble } from '../../shared/notice'

export type ClockView = Schemas['ClockView']

/** Recordings placed in the time of the first of them, once somebody asks. */
export function useClocks(asked: () => string[]) {
  const store = useSession()
  const path = () => ({ session: store.id })

  const placed = useDerived<{ tracks: string[]; placed: unknown[]; carried: unknown[] }, ClockView[]>({
    kind: 'clocks',
    what: 'Placing the recordings',
    subject: () => {
      const tracks = asked()
      const known = tracks.map((id) => store.track(id))
      if (tracks.length < 2 || known.some((t) => !t)) return null
      return { tracks, placed: known.map((t) => t!.start_frame), carried: known.map((t) => [t!.correction, t!.pieces.length]) }
    },
    of: ({ tracks }) => tracks,
    read: ({ tracks }) => ask(client.GET('/api/sessions/{session}/clocks', { params: { path: path(), query: { tracks: tracks.join() } } })),
    begin: ({ tracks }) => ask(client.POST('/api/sessions/{session}/clocks', { params: { path: path() }, body: { tracks } })),
  })

  const busy = ref(false)
  /** Moves recordings to where they were found. */
  async function take(ids: string[]): Promise<void> {
    busy.value = true
    try {
      const body = { tracks: asked(), take: ids }
      await ask(client.POST('/api/sessions/{session}/clocks/take', { params: { path: path() }, body }))
      await store.reload()
    } catch (e) {
      tellTrouble((e as Error).message)
    }
    busy.value = false
  }

  return { placed, take, busy }
}
