import { ref } from 'vue'
import { ask, client, type Schemas } from '../../api/client'
import { useDerived } from '../../session/derived'
import { useSession } from '../../session/store'
import { tell, tellTrouble } from '../../shared/notice'

export type TempoView = Schemas['TempoView']
export type TempoBy = Schemas['TempoBy']

/** What tracks are held against. */
export interface Asked {
  by: TempoBy
  track?: string
}

/** The session's tracks against a tempo, once somebody asks. */
export function useTempo(asked: () => Asked | null) {
  const store = useSession()
  const path = () => ({ session: store.id })

  const held = useDerived<{ asked: Asked; placed: unknown; carried: unknown }, TempoView>({
    kind: 'tempo',
    what: 'Holding the tracks against the beats',
    subject: () => {
      const of = asked()
      if (!of || store.tracks.length === 0 || (of.track !== undefined && !store.track(of.track))) return null
      const { bpm, beats_a_bar, first_beat_frame, tempo_changes } = store.detail!.session
      const tempo = of.by === 'session' ? [bpm, beats_a_bar, first_beat_frame, tempo_changes] : null
      return {
        asked: of,
        placed: [store.tracks.map((t) => [t.id, t.start_frame]), tempo],
        carried: store.tracks.map((t) => t.correction.offset_frames),
      }
    },
    of: ({ asked }) => asked,
    read: ({ asked }) => ask(client.GET('/api/sessions/{session}/tempo', { params: { path: path(), query: asked } })),
    begin: ({ asked }) => ask(client.POST('/api/sessions/{session}/tempo', { params: { path: path() }, body: asked })),
  })

  const busy = ref(false)
  async function told(work: () => Promise<unknown>, done = ''): Promise<void> {
    busy.value = true
    try {
      await work()
      await store.reload()
      if (done) tell(done)
    } catch (e) {
      tellTrouble((e as Error).message)
    }
    busy.value = false
  }

  /** The tempo that was found becomes the session's; one of those that may be meant as well. */
  function use(bpm?: number): Promise<void> {
    const body = { ...asked()!, bpm: bpm ?? null }
    return told(
      () => ask(client.POST('/api/sessions/{session}/tempo/use', { params: { path: path() }, body })),
      'The session’s bars and beats follow it.',
    )
  }

  /** Takes the lag of tracks out. */
  function take(tracks: string[]): Promise<void> {
    const body = { ...asked()!, take: tracks }
    return told(() => ask(client.POST('/api/sessions/{session}/tempo/take', { params: { path: path() }, body })))
  }

  return { held, use, take, busy }
}
