import { ask, client, type Schemas } from '../../../api/client'
import { useDerived } from '../../../session/derived'
import { useSession } from '../../../session/store'
import { useTaking } from '../asked'
import type { Plan } from './plan'

export type TakesView = Schemas['TakesView']

/** Two takes side by side, once somebody asks. */
export function useTakes(asked: () => Plan | null) {
  const store = useSession()
  const path = () => ({ session: store.id })

  const held = useDerived<{ asked: Plan; placed: unknown }, TakesView>({
    kind: 'takes',
    what: 'Holding the takes against each other',
    subject: () => {
      const of = asked()
      const [first, second] = [store.track(of?.first ?? ''), store.track(of?.second ?? '')]
      if (!of || !first || !second) return null
      const { bpm, beats_a_bar, first_beat_frame, tempo_changes } = store.detail!.session
      const placed = [first, second].map((t) => [t.start_frame, t.pieces])
      return { asked: of, placed: [placed, bpm, beats_a_bar, first_beat_frame, tempo_changes, store.desk.state.plans.meant] }
    },
    // While a passage is moved, the last answer stays in sight.
    of: ({ asked }) => [asked.first, asked.second],
    read: ({ asked }, { signal }) =>
      ask(client.GET('/api/sessions/{session}/takes', { params: { path: path(), query: { of: JSON.stringify(asked) } }, signal })),
    begin: ({ asked }) => ask(client.POST('/api/sessions/{session}/takes', { params: { path: path() }, body: asked })),
  })

  const { take, busy } = useTaking((plan: Plan) =>
    ask(client.POST('/api/sessions/{session}/takes/take', { params: { path: path() }, body: plan })),
  )
  return { held, take, busy }
}
