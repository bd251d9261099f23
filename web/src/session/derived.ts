import { useQuery, type QueryFunctionContext } from '@tanstack/vue-query'
import { computed, shallowRef, watch } from 'vue'
import { useSession } from './store'

/** A kind of result that the server measures. */
export interface Source<S, T> {
  /** Its word, as the server's jobs have it. */
  kind:
    | 'check'
    | 'pair'
    | 'image'
    | 'print'
    | 'send'
    | 'clocks'
    | 'notes'
    | 'tempo'
    | 'timing'
    | 'layer'
    | 'takes'
    | 'noises'
    | 'double'
    | 'pitch'
    | 'wide'
  /** What it is called in a sentence. */
  what: string
  /** What is asked for now, with all that the result depends on; null: nothing. */
  subject: () => S | null
  /** What it is a result of: the last one stays in sight while this stays the same. */
  of?: (subject: S) => unknown
  /** The result; nothing while it has not been measured. `context.signal` ends the reading when nobody wants it any more. */
  read: (subject: S, context: QueryFunctionContext) => Promise<T | null | undefined>
  /** Begins to measure, and gives the job; none where it was measured already. Left out where the server begins by itself. */
  begin?: (subject: S) => Promise<string | undefined>
}

interface Read<T> {
  view: T | null
  /** The job that measures it, or has failed to. */
  job: string
}

/** A result of the open session: measured when it is not there, and read again whenever the session moves. */
export function useDerived<S, T>(source: Source<S, T>) {
  const store = useSession()
  const subject = computed(source.subject)
  const queryKey = computed(() => [store.id, source.kind, subject.value])
  let anew = false

  async function read(context: QueryFunctionContext): Promise<Read<T>> {
    const { queryKey: key, client } = context
    const wanted = key[2] as S
    const before = client.getQueryData<Read<T>>(key)
    const view = (await source.read(wanted, context)) ?? null
    if (view !== null || !source.begin) return { view, job: '' }
    // What failed or was cancelled is not begun again before somebody asks, or it is about something else.
    const ended = before && store.jobs.get(before.job)?.state
    if (before && !anew && (ended === 'failed' || ended === 'cancelled')) return before
    anew = false
    const job = (await source.begin(wanted)) ?? ''
    // Nothing is begun where it was measured meanwhile: it is there now.
    return job === '' ? { view: (await source.read(wanted, context)) ?? null, job } : { view, job }
  }

  const query = useQuery<Read<T>>({
    queryKey,
    queryFn: read,
    enabled: () => store.id !== '' && subject.value !== null,
    refetchInterval: (q) => (q.state.data?.job ? askedAgainMs(q.state.data.job) : false),
    gcTime: 60_000,
    shallow: true,
  })

  /** A quick job may end, and say so, before the answer that names it is here: nothing would be told of it again. */
  function askedAgainMs(job: string): number | false {
    const state = store.jobs.get(job)?.state
    if (state === undefined) return 1500
    return state === 'done' ? 200 : false
  }

  const view = shallowRef<T | null>(null)
  const of = computed(() => JSON.stringify(subject.value === null ? null : source.of ? source.of(subject.value) : subject.value))
  watch(
    [query.data, of],
    ([data, now], [, before]) => {
      if (data?.view) view.value = data.view
      // Without a job there is none, and none to come: what was there is gone.
      else if (now !== before || (data && data.job === '')) view.value = null
    },
    { immediate: true },
  )

  const job = computed(() => store.jobs.get(query.data.value?.job ?? ''))
  const trouble = computed(() => {
    if (query.error.value) return query.error.value.message
    if (job.value?.state === 'failed') return job.value.error ?? `${source.what} failed.`
    return job.value?.state === 'cancelled' ? `${source.what} was cancelled.` : ''
  })
  /** What is shown is what is asked for. It stays so while the same is read again: a button that closes for a moment loses a click. */
  const current = computed(() => view.value !== null && query.data.value?.view === view.value)
  const loaded = computed(() => query.isFetched.value)

  /** Reads again, and measures again where that failed. */
  async function again(): Promise<void> {
    anew = true
    await query.refetch()
  }

  return { view, job, trouble, current, loaded, again }
}
