import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { ask, client, type BandGain, type PairView } from '../../api/client'
import { followJob } from '../../session/followJob'
import { useSession } from '../../session/store'

/** The measurement of the chosen pair: asked for when it is not there, read again when tracks change. */
export function usePair() {
  const store = useSession()
  const view = shallowRef<PairView | null>(null)
  const sum = shallowRef<{ bands: BandGain[]; nullDepthDb: number } | null>(null)
  const trouble = ref('')
  const job = ref('')
  let turn = 0

  const key = computed(() => {
    const [a, b] = [store.track(store.pair.a), store.track(store.pair.b)]
    return a && b ? [a.id, b.id, a.start_frame, b.start_frame, a.role, b.role].join() : ''
  })
  const carried = computed(() => JSON.stringify([store.track(store.pair.a)?.correction, store.track(store.pair.b)?.correction]))
  const running = followJob(job, trouble, 'The measurement', read)

  async function read(): Promise<void> {
    const mine = ++turn
    const { a, b } = store.pair
    if (!a || !b) return
    const path = { session: store.id }
    try {
      const made = await ask(client.POST('/api/sessions/{session}/pairs', { params: { path }, body: { a, b } }))
      if (mine !== turn) return
      if (typeof made === 'string' && made !== '') {
        job.value = made
        return
      }
      job.value = ''
      view.value = await ask(client.GET('/api/sessions/{session}/pairs', { params: { path, query: { a, b } } }))
      await readSum()
    } catch (e) {
      if (mine === turn) trouble.value = (e as Error).message
    }
  }

  async function readSum(): Promise<void> {
    const mine = turn
    const { a, b } = store.pair
    const got = await ask(client.GET('/api/sessions/{session}/pairs/sum', { params: { path: { session: store.id }, query: { a, b } } }))
    if (mine === turn) sum.value = { bands: got.sum_gain, nullDepthDb: got.null_depth_db }
  }

  function reset(): void {
    view.value = null
    sum.value = null
    trouble.value = ''
    job.value = ''
    void read()
  }

  watch(key, reset, { immediate: true })
  watch(carried, () => {
    if (view.value) void readSum().catch((e: Error) => (trouble.value = e.message))
  })
  onBeforeUnmount(() => turn++)

  return { view, sum, trouble, running, reset }
}
