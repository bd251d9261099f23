import { ask, client, type Schemas } from '../../../api/client'
import { useDerived } from '../../../session/derived'
import { useSession } from '../../../session/store'
import { useMaking } from '../results'
import type { Plan } from './plan'

export type DoublesView = Schemas['DoublesView']

/** Takes against their lead, once somebody asks; and made anew. */
export function useDoubles(asked: () => Plan | null) {
  const store = useSession()
  const path = () => ({ session: store.id })

  const held = useDerived<{ asked: Plan; placed: unknown }, DoublesView>({
    kind: 'double',
    what: 'Holding the takes against their lead',
    subject: () => {
      const of = asked()
      if (!of || of.takes.length === 0) return null
      const all = [of.lead, ...of.takes.map((t) => t.take)].map((id) => store.track(id))
      if (all.some((t) => !t)) return null
      const beneath = store.tracks.filter((t) => t.made_of).map((t) => [t.id, t.made_of])
      return { asked: of, placed: [all.map((t) => [t!.start_frame, t!.pieces, t!.correction]), beneath] }
    },
    // While closeness or pins change, the last answer stays in sight.
    of: ({ asked }) => [asked.lead, asked.takes.map((t) => t.take)],
    read: ({ asked }, { signal }) =>
      ask(client.GET('/api/sessions/{session}/doubles', { params: { path: path(), query: { of: JSON.stringify(asked) } }, signal })),
    begin: ({ asked }) => ask(client.POST('/api/sessions/{session}/doubles', { params: { path: path() }, body: asked })),
  })

  const made = useMaking((plan: Plan) => ask(client.POST('/api/sessions/{session}/doubles/make', { params: { path: path() }, body: plan })))
  return { held, ...made }
}
