import { ask, client } from '../../../api/client'
import { useDerived } from '../../../session/derived'
import { useSession } from '../../../session/store'
import { useMaking } from '../results'
import type { Found, Plan } from './plan'

/** The pitch of a voice, once somebody asks; and the voice made anew. */
export function usePitch(asked: () => Plan | null) {
  const store = useSession()
  const path = () => ({ session: store.id })

  const held = useDerived<{ asked: Plan; placed: unknown }, Found>({
    kind: 'pitch',
    what: 'Listening to the pitch',
    subject: () => {
      const of = asked()
      const track = store.track(of?.track ?? '')
      if (!of || !track) return null
      const beneath = store.tracks.filter((t) => t.made_of).map((t) => [t.id, t.made_of])
      return { asked: of, placed: [track.start_frame, track.pieces, track.correction, beneath] }
    },
    // While notes change, the last answer stays in sight.
    of: ({ asked }) => asked.track,
    read: ({ asked }, { signal }) =>
      ask(client.GET('/api/sessions/{session}/pitch', { params: { path: path(), query: { of: JSON.stringify(asked) } }, signal })),
    begin: ({ asked }) => ask(client.POST('/api/sessions/{session}/pitch', { params: { path: path() }, body: asked })),
  })
  const made = useMaking((plan: Plan) => ask(client.POST('/api/sessions/{session}/pitch/make', { params: { path: path() }, body: plan })))
  return { held, ...made }
}
