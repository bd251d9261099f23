import { onMounted, ref, shallowRef, watch } from 'vue'
import { ask, client, type Schemas } from '../api/client'
import { useSession } from './store'
import { tellTrouble } from '../shared/notice'

export type CheckView = Schemas['CheckView']

/** What the check says of the open session, asked for again whenever the session moves; `null` before the first one. Asks only
 * while it is wanted. Trouble is told, unless `quiet`: then nothing is known. */
export function useChecked(wanted: () => boolean = () => true, quiet = false) {
  const store = useSession()
  const check = shallowRef<CheckView | null>(null)
  const loaded = ref(false)

  async function load(): Promise<void> {
    const session = store.id
    if (session === '' || !wanted()) return
    try {
      const got = await ask(client.GET('/api/sessions/{session}/check', { params: { path: { session } } }))
      if (session === store.id) check.value = got
    } catch (e) {
      if (quiet) check.value = null
      else tellTrouble((e as Error).message)
    }
    loaded.value = true
  }

  onMounted(load)
  watch(() => [store.id, store.detail?.session.revision, wanted()], load)
  return { check, loaded, load }
}
