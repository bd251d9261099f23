import { ask, client, type Schemas } from '../../../api/client'
import { useDerived } from '../../../session/derived'
import { useSession } from '../../../session/store'
import { useTaking } from '../asked'
import type { Plan } from './plan'

export type LayerView = Schemas['LayerView']

/** A layer against its source, once somebody asks. */
export function useLayer(asked: () => Plan | null) {
  const store = useSession()
  const path = () => ({ session: store.id })

  const held = useDerived<{ asked: Plan; placed: unknown }, LayerView>({
    kind: 'layer',
    what: 'Holding the layer against its source',
    subject: () => {
      const of = asked()
      const [source, layer] = [store.track(of?.source ?? ''), store.track(of?.layer ?? '')]
      if (!of || !source || !layer) return null
      const placed = [source, layer].map((t) => [t.start_frame, t.correction, t.path_frames, t.pieces])
      return { asked: of, placed }
    },
    // While a hit is moved, the last answer stays in sight.
    of: ({ asked }) => [asked.source, asked.layer],
    read: ({ asked }, { signal }) =>
      ask(client.GET('/api/sessions/{session}/layer', { params: { path: path(), query: { of: JSON.stringify(asked) } }, signal })),
    begin: ({ asked }) => ask(client.POST('/api/sessions/{session}/layer', { params: { path: path() }, body: asked })),
  })

  const { take, busy } = useTaking((plan: Plan) =>
    ask(client.POST('/api/sessions/{session}/layer/take', { params: { path: path() }, body: plan })),
  )
  return { held, take, busy }
}
