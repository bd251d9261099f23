import { ref } from 'vue'
import { ask, client, type Schemas } from '../../api/client'
import { useDerived } from '../../session/derived'
import { useSession } from '../../session/store'
import { tellTrouble } from '../../shared/notice'
import type { Plan } from './plan'

export type TimingView = Schemas['TimingView']

/** A set as it would be moved, once somebody asks. */
export function useTiming(asked: () => Plan | null) {
  const store = useSession()
  const path = () => ({ session: store.id })

  const held = useDerived<{ asked: Plan; placed: unknown; carried: unknown }, TimingView>({
    kind: 'timing',
    what: 'Moving them together',
    subject: () => {
      const of = asked()
      if (!of || store.tracks.length === 0) return null
      const named = [...of.set, ...(of.hits ?? []), ...of.sections.flatMap((s) => s.onto ?? [])]
      if (named.some((id) => !store.track(id))) return null
      const { bpm, beats_a_bar, first_beat_frame, tempo_changes } = store.detail!.session
      return {
        asked: of,
        placed: [store.tracks.map((t) => [t.id, t.start_frame]), bpm, beats_a_bar, first_beat_frame, tempo_changes],
        carried: store.tracks.map((t) => [t.correction.offset_frames, t.path_frames]),
      }
    },
    // While a setting changes, the last answer stays in sight.
    of: ({ asked }) => asked.set,
    read: ({ asked }, { signal }) =>
      ask(client.GET('/api/sessions/{session}/timing', { params: { path: path(), query: { of: JSON.stringify(asked) } }, signal })),
    begin: ({ asked }) => ask(client.POST('/api/sessions/{session}/timing', { params: { path: path() }, body: asked })),
  })

  const busy = ref(false)
  /** Moves the set as the plan has it; without sections it is as recorded again. */
  async function take(plan: Plan): Promise<void> {
    busy.value = true
    try {
      await ask(client.POST('/api/sessions/{session}/timing/take', { params: { path: path() }, body: plan }))
      await store.reload()
    } catch (e) {
      tellTrouble((e as Error).message)
    }
    busy.value = false
  }

  return { held, take, busy }
}
