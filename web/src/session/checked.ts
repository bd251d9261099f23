import { watch } from 'vue'
import { ask, client, type Schemas } from '../api/client'
import { tellTrouble } from '../shared/notice'
import { useDerived } from './derived'
import { useSession } from './store'

export type CheckView = Schemas['CheckView']

/** What the check says of the open session; `null` before the first one. Asks only while it is wanted. Trouble is told, unless
 * `quiet`: then nothing is known. */
export function useChecked(wanted: () => boolean = () => true, quiet = false) {
  const store = useSession()
  const derived = useDerived<true, CheckView>({
    kind: 'check',
    what: 'The check',
    subject: () => (wanted() ? true : null),
    read: () => ask(client.GET('/api/sessions/{session}/check', { params: { path: { session: store.id } } })),
  })
  watch(derived.trouble, (trouble) => {
    if (trouble !== '' && !quiet) tellTrouble(trouble)
  })
  return { check: derived.view, loaded: derived.loaded, load: derived.again }
}
