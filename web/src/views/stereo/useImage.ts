import { type Ref } from 'vue'
import { ask, client, type ImageView } from '../../api/client'
import { useDerived } from '../../session/derived'
import { useSession } from '../../session/store'
import { tellTrouble } from '../../shared/notice'

interface Asked {
  from?: number
  to?: number
  order: 'wav' | 'smpte'
}

/** The image of the chosen channels as they are carried. The picture of the same channels stays until the new one is there. */
export function useImage(channels: Ref<string[]>, asked: Ref<Asked>) {
  const store = useSession()
  const path = () => ({ session: store.id })

  interface Subject {
    tracks: string[]
    asked: Asked
    carried: unknown[]
  }
  const derived = useDerived<Subject, ImageView>({
    kind: 'image',
    what: 'Measuring the image',
    subject: () => {
      const tracks = channels.value
      const known = tracks.map((id) => store.track(id))
      const carried = known.map((t) => [t?.start_frame, t?.correction, t?.stretches])
      return tracks.length < 2 ? null : { tracks, asked: asked.value, carried }
    },
    of: ({ tracks }) => tracks,
    read: ({ tracks, asked }) =>
      ask(client.GET('/api/sessions/{session}/image', { params: { path: path(), query: { tracks: tracks.join(), ...asked } } })),
    begin: ({ tracks, asked }) =>
      ask(client.POST('/api/sessions/{session}/image', { params: { path: path() }, body: { tracks, ...asked } })),
  })

  /** All of the tracks carries the repair, or only the range that was measured. */
  async function accept(onlyRange: boolean): Promise<void> {
    const body = { tracks: channels.value, ...asked.value, only_range: onlyRange }
    try {
      await ask(client.POST('/api/sessions/{session}/image/accept', { params: { path: path() }, body }))
      await store.reload()
    } catch (e) {
      tellTrouble((e as Error).message)
    }
  }

  const { view, trouble, job: running, current } = derived
  return { view, trouble, running, current, accept }
}
