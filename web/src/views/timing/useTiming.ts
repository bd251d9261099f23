import { ask, client, type Schemas } from '../../api/client'
import { useDerived } from '../../session/derived'
import { useSession } from '../../session/store'
import { useTaking } from './asked'
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

  const { take, busy } = useTaking((plan: Plan) =>
    ask(client.POST('/api/sessions/{session}/timing/take', { params: { path: path() }, body: plan })),
  )
  return { held, take, busy }
}
