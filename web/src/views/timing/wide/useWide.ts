import { ask, client } from '../../../api/client'
import { useDerived } from '../../../session/derived'
import { useSession } from '../../../session/store'
import { useMaking } from '../results'
import type { Found, Plan } from './plan'

/** What a part would be as a wide pair, once somebody asks; and the pair made. */
export function useWide(asked: () => Plan | null) {
  const store = useSession()
  const path = () => ({ session: store.id })

  const held = useDerived<{ asked: Plan; placed: unknown }, Found>({
    kind: 'wide',
    what: 'Trying the part as a wide pair',
    subject: () => {
      const of = asked()
      const track = store.track(of?.track ?? '')
      if (!of || !track) return null
      const beneath = store.tracks.filter((t) => t.made_of).map((t) => [t.id, t.made_of])
      return { asked: of, placed: [track.start_frame, track.pieces, track.correction, beneath] }
    },
    // While numbers change, the last answer stays in sight.
    of: ({ asked }) => asked.track,
    read: ({ asked }, { signal }) =>
      ask(client.GET('/api/sessions/{session}/wide', { params: { path: path(), query: { of: JSON.stringify(asked) } }, signal })),
    begin: ({ asked }) => ask(client.POST('/api/sessions/{session}/wide', { params: { path: path() }, body: asked })),
  })
  const made = useMaking((plan: Plan) => ask(client.POST('/api/sessions/{session}/wide/make', { params: { path: path() }, body: plan })))
  return { held, ...made }
}
