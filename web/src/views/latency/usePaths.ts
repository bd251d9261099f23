import { useQuery } from '@tanstack/vue-query'
import { computed, ref, shallowRef } from 'vue'
import { ask, client, type Schemas } from '../../api/client'
import { useSession } from '../../session/store'
import type { PathMap } from './map'

export type PathsShown = Schemas['PathsShown']
export type PathsView = Schemas['PathsView']
export type WayView = Schemas['WayView']
export type PathWay = Schemas['PathWay']

/** The session's signal paths as the server has added them up, and what changes them. */
export function usePaths() {
  const store = useSession()
  /** Limit of the third way, in ms. */
  const under = ref(6)
  const here = () => ({ path: { session: store.id } })
  const query = useQuery<PathsShown>({
    queryKey: computed(() => [store.id, 'paths', under.value]),
    queryFn: () => ask(client.GET('/api/sessions/{session}/paths', { params: { ...here(), query: { under_ms: under.value } } })),
    enabled: () => store.id !== '',
    placeholderData: (before) => before,
  })
  const shown = computed(() => query.data.value ?? null)
  const map = computed<PathMap | null>(() => shown.value?.map ?? null)
  const view = computed(() => shown.value?.view ?? null)
  const trouble = computed(() => query.error.value?.message ?? '')

  /** Carries a decision out; the map is read again when it is through. */
  async function carried(work: () => Promise<unknown>): Promise<boolean> {
    const done = await store.carryOut(work)
    if (done) await query.refetch()
    return done
  }

  /** The map with what is on its way to the server: edits that follow fast rest on one another. */
  const onTheWay = shallowRef<PathMap | null>(null)
  let flying = 0
  const edited = computed(() => onTheWay.value ?? map.value)

  /** Draws the map anew as one decision. */
  async function draw(next: PathMap, label: string): Promise<boolean> {
    onTheWay.value = next
    flying++
    const done = await carried(() => ask(client.PUT('/api/sessions/{session}/paths', { params: here(), body: { map: next, label } })))
    flying--
    // What was refused is not shown as if it were there.
    if (flying === 0 || !done) onTheWay.value = null
    return done
  }

  function choose(way: PathWay): Promise<boolean> {
    const body = { way, under_ms: under.value }
    return carried(() => ask(client.POST('/api/sessions/{session}/paths/choice', { params: here(), body })))
  }

  /** A file as a map: a sheet by the server, JSON as it is. */
  async function read(file: File): Promise<PathMap> {
    const text = await file.text()
    if (/\.csv$/i.test(file.name)) {
      return ask(client.POST('/api/sessions/{session}/paths/sheet', { params: here(), body: { text } }))
    }
    try {
      return JSON.parse(text) as PathMap
    } catch {
      throw new Error('it is no JSON')
    }
  }

  return { under, shown, map, edited, view, trouble, draw, choose, read }
}
