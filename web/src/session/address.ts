import { onBeforeUnmount, watch } from 'vue'
import { useRoute, useRouter, type LocationQuery } from 'vue-router'
import { useSession } from './store'

/** Milliseconds that changes are gathered before they are written into the address. */
const GATHER_MS = 400

type Words = Record<string, string | undefined>

let waiting: Words = {}
let timer = 0
/** Another view is on its way: what is written now would bring the old one back. */
let going = false
let watched = false

/** What the address says of a word, as text. */
export function word(query: LocationQuery, key: string): string | undefined {
  const value = query[key]
  return typeof value === 'string' ? value : undefined
}

/** Says something in the address, beside what stands there; a reload or a sent link then shows the same. */
export function useAddress() {
  const [route, router] = [useRoute(), useRouter()]
  if (!watched) {
    watched = true
    router.beforeEach((to, from) => {
      going = true
      // What a view says of itself is not the next one's.
      if (to.name !== from.name) waiting = {}
    })
    router.afterEach(() => void (going = false))
    router.onError(() => (going = false))
  }

  function write(words: Words): void {
    if (going) return
    waiting = { ...waiting, ...words }
    clearTimeout(timer)
    timer = window.setTimeout(() => {
      if (going) return
      const query = { ...route.query, ...waiting }
      waiting = {}
      if (JSON.stringify(query) !== JSON.stringify(route.query)) void router.replace({ query, hash: route.hash })
    }, GATHER_MS)
  }

  return { read: (key: string) => word(route.query, key), write }
}

/** Keeps the pair and the place in the address of every view, and takes them from there once the session is open. */
export function useSessionAddress() {
  const store = useSession()
  const route = useRoute()
  const { read, write } = useAddress()
  const asked = { a: read('a'), b: read('b'), at: Number(read('at')), zoom: Number(read('zoom')) }
  let taken = false

  function take(): void {
    taken = true
    if (asked.a && asked.b && store.track(asked.a) && store.track(asked.b)) store.choose(asked.a, asked.b)
    if (asked.zoom > 0 && Number.isFinite(asked.at)) Object.assign(store.viewport, { start: asked.at, framesPerPx: asked.zoom })
  }

  watch(
    () => store.tracks.length > 0,
    (there) => there && !taken && take(),
    { immediate: true },
  )
  watch(
    () => [store.pair.a, store.pair.b, store.viewport.start, store.viewport.framesPerPx, route.name] as const,
    ([a, b, start, zoom]) => {
      if (taken && a) write({ a, b, at: String(Math.round(start)), zoom: zoom.toPrecision(4) })
    },
  )
  onBeforeUnmount(() => clearTimeout(timer))
}
