import { computed, ref, shallowRef, watch, type Ref } from 'vue'
import { useSession } from '../../session/store'
import { tellTrouble } from '../../shared/notice'

/** Pause after the last change of a plan before the server is asked, in ms. */
const SETTLED_MS = 450

interface Source<P> {
  /** The plan as it is set now. */
  draft: Readonly<Ref<P>>
  /** Two plans are the same that have the same key. */
  key: (plan: P) => string
  /** Is it kept with the session: was it asked about before? */
  kept: () => boolean
  keep: () => void
  /** Can it be asked about? */
  can: () => boolean
  /** Asks again about the same. */
  again: () => void
}

/** A plan that the server is asked about once somebody wants it, and then a pause after each change. */
export function useAsked<P>({ draft, key, kept, keep, can, again }: Source<P>) {
  const first = () => (kept() ? draft.value : null)
  const asked = shallowRef<P | null>(first())
  let settling = 0
  watch(
    () => key(draft.value),
    () => {
      clearTimeout(settling)
      if (asked.value !== null) settling = window.setTimeout(listen, SETTLED_MS)
    },
  )

  function listen(): void {
    clearTimeout(settling)
    if (!can()) return
    if (asked.value !== null && key(asked.value) === key(draft.value)) again()
    asked.value = draft.value
    if (!kept()) keep()
  }

  /** Other tracks: only what was asked about before is asked about at once. */
  function restart(): void {
    clearTimeout(settling)
    asked.value = first()
  }

  /** What was asked about last is what is set. */
  const settled = computed(() => asked.value !== null && key(asked.value) === key(draft.value))
  return { asked, listen, restart, settled }
}

/** Carries a plan out: the buttons are closed meanwhile, and what is refused is said. */
export function useTaking<P>(post: (plan: P) => Promise<unknown>) {
  const store = useSession()
  const busy = ref(false)
  async function take(plan: P): Promise<void> {
    busy.value = true
    try {
      await post(plan)
      await store.reload()
    } catch (e) {
      tellTrouble((e as Error).message)
    }
    busy.value = false
  }
  return { take, busy }
}
