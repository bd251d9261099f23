import { computed } from 'vue'
import { ask, client, type Schemas } from '../../api/client'
import { useChecked } from '../../session/checked'
import { useSession } from '../../session/store'
import { tellTrouble } from '../../shared/notice'

export type { CheckView } from '../../session/checked'
export type FindingView = Schemas['FindingView']
export type Cell = Schemas['Cell']
export type Row = Schemas['Row']

/** The check of the open session: loaded again whenever the session moves. */
export function useCheck() {
  const store = useSession()
  const { check, loaded, load } = useChecked()
  const job = computed(() => store.running.find((j) => j.kind === 'check') ?? null)
  /** Announced and not all here yet. */
  const onTheWay = computed(() => store.detail?.uploads.length ?? 0)
  const importing = computed(() => onTheWay.value > 0 || store.running.some((j) => j.kind === 'import'))
  const path = () => ({ params: { path: { session: store.id } } })

  async function send(work: () => Promise<unknown>): Promise<boolean> {
    try {
      await work()
      await store.reload()
      await load()
      return true
    } catch (e) {
      tellTrouble((e as Error).message)
      return false
    }
  }

  const again = () => send(() => ask(client.POST('/api/sessions/{session}/check', path())))
  const accept = (keys: string[], advice: string[] = []) =>
    send(() => ask(client.POST('/api/sessions/{session}/check/accept', { ...path(), body: { keys, advice } })))
  const answer = (key: string, which: number) =>
    send(() => ask(client.POST('/api/sessions/{session}/check/accept', { ...path(), body: { answer: { key, answer: which } } })))
  const dismiss = (key: string, reason: string) =>
    send(() => ask(client.POST('/api/sessions/{session}/check/dismiss', { ...path(), body: { key, reason } })))

  return { check, loaded, job, importing, onTheWay, again, accept, answer, dismiss }
}
