import { useQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { ask, client, type BandGain, type PairView } from '../../api/client'
import { useDerived } from '../../session/derived'
import { useSession } from '../../session/store'

/** The measurement of the chosen pair, and what the sum of the two keeps as they are carried. */
export function usePair() {
  const store = useSession()
  const chosen = computed(() => [store.track(store.pair.a), store.track(store.pair.b)] as const)
  const path = () => ({ session: store.id })

  interface Subject {
    a: string
    b: string
    placed: unknown[]
  }
  const derived = useDerived<Subject, PairView>({
    kind: 'pair',
    what: 'The measurement',
    subject: () => {
      const [a, b] = chosen.value
      return a && b && a.id !== b.id ? { a: a.id, b: b.id, placed: [a.start_frame, b.start_frame, a.role, b.role] } : null
    },
    read: ({ a, b }) => ask(client.GET('/api/sessions/{session}/pairs', { params: { path: path(), query: { a, b } } })),
    begin: ({ a, b }) => ask(client.POST('/api/sessions/{session}/pairs', { params: { path: path() }, body: { a, b } })),
  })

  const carried = computed(() => chosen.value.map((t) => t && [t.id, t.start_frame, t.role, t.correction, t.stretches]))
  const sums = useQuery<{ bands: BandGain[]; nullDepthDb: number }>({
    queryKey: computed(() => ['sum', store.id, carried.value]),
    queryFn: async () => {
      const query = { a: store.pair.a, b: store.pair.b }
      const got = await ask(client.GET('/api/sessions/{session}/pairs/sum', { params: { path: path(), query } }))
      return { bands: got.sum_gain, nullDepthDb: got.null_depth_db }
    },
    enabled: () => derived.current.value,
    // The curve of the same pair stays until the new one is there.
    placeholderData: (before, query) => (sameTracks(query?.queryKey[2], carried.value) ? before : undefined),
    gcTime: 60_000,
    shallow: true,
  })
  const sum = computed(() => (derived.view.value ? (sums.data.value ?? null) : null))
  const trouble = computed(() => derived.trouble.value || (sums.error.value?.message ?? ''))
  const running = computed(() => derived.job.value)
  return { view: derived.view, sum, trouble, running, reset: derived.again }
}

function sameTracks(one: unknown, other: unknown): boolean {
  const ids = (of: unknown) => JSON.stringify((of as unknown[][] | undefined)?.map((t) => t?.[0]))
  return ids(one) === ids(other)
}
