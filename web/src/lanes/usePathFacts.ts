import { computed, shallowRef, watch } from 'vue'
import { ask, client, type Schemas, type Track } from '../api/client'
import { useSession } from '../session/store'
import { span } from '../shared/units'

/** What the check knows of a track's path, for the columns of the lanes. */
export interface PathFacts {
  policy: (t: Track) => string
  latency: (t: Track) => string
}

/** Asked for only while one of these columns is shown. */
export function usePathFacts(): PathFacts {
  const store = useSession()
  const check = shallowRef<Schemas['CheckView'] | null>(null)
  const wanted = computed(() => store.desk.state.columns.some((c) => c === 'latency' || c === 'policy'))

  watch(
    () => [store.id, store.detail?.session.revision, wanted.value],
    async () => {
      if (!wanted.value || store.id === '') return
      const of = store.id
      try {
        const got = await ask(client.GET('/api/sessions/{session}/check', { params: { path: { session: of } } }))
        if (of === store.id) check.value = got
      } catch {
        // The check's own view says what is wrong; a column stays empty.
        check.value = null
      }
    },
    { immediate: true },
  )

  const advice = (t: Track) => {
    const at = check.value?.tracks.indexOf(t.id) ?? -1
    return at < 0 ? undefined : check.value?.advice[at]
  }
  return {
    policy: (t) => t.policy || (advice(t)?.policy ?? ''),
    latency: (t) => {
      const a = advice(t)
      return a ? (a.latency_frames ? span(a.latency_frames, store.unit, store.measure).replace(/ (samples|quarters)$/, '') : 'none found') : ''
    },
  }
}
