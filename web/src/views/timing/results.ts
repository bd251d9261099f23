import { computed, ref } from 'vue'
import type { Schemas } from '../../api/client'
import { useSession } from '../../session/store'
import { tellTrouble } from '../../shared/notice'

type Made = Schemas['MadeView']

/** Results and what they were made of: one of the two is heard, at the same loudness; the other is muted and folded away. */
export function useResults(made: () => readonly Made[]) {
  const store = useSession()
  const hearsOriginal = computed(() => made().some((m) => !store.desk.lane(m.of).muted))
  const within = (db: number) => Math.max(-60, Math.min(12, db))

  function swap(): void {
    const toOriginal = !hearsOriginal.value
    const lanes = made().flatMap((m) => {
      const [above, below] = [store.desk.lane(m.of), store.desk.lane(m.track)]
      return [
        [m.of, { ...above, muted: !toOriginal, hidden: !toOriginal }],
        [m.track, { ...below, muted: toOriginal, hidden: toOriginal, level_db: within(above.level_db - m.louder_db) }],
      ] as const
    })
    if (lanes.length > 0) store.desk.change({ lanes: Object.fromEntries(lanes) })
  }
  return { hearsOriginal, swap }
}

/** Has something made anew by a job: how far it is, and why it was not. */
export function useMaking<P>(post: (plan: P) => Promise<string>) {
  const store = useSession()
  const id = ref('')
  const making = computed(() => store.jobs.get(id.value))
  const busy = computed(() => making.value?.state === 'queued' || making.value?.state === 'running')
  async function make(plan: P): Promise<void> {
    try {
      id.value = await post(plan)
    } catch (e) {
      tellTrouble((e as Error).message)
    }
  }
  const trouble = computed(() => (making.value?.state === 'failed' ? (making.value.error ?? 'It was not made.') : ''))
  return { make, making, busy, trouble }
}
