import { computed, ref, watch } from 'vue'
import { ask, client, type Schemas } from '../../api/client'
import { useDerived } from '../../session/derived'
import { useSession } from '../../session/store'
import { tellTrouble } from '../../shared/notice'

export type PrintView = Schemas['PrintView']
export type SendsView = Schemas['SendsView']
export type Way = Schemas['Way']
export type Moving = Schemas['Moving']

/** The part of the session that is looked at, in frames; null: all of the print. */
export type Part = { from: number; to: number } | null

/**
 * A print, the send it was made from, and how late it is along time; or two microphones between which somebody walks. The pair of the
 * session holds both: its first track is the send, or the first microphone.
 */
export function usePrint(moving: () => Moving) {
  const store = useSession()
  const path = () => ({ session: store.id })
  const print = computed(() => store.track(store.pair.b))
  const start = (id: string) => store.track(id)?.start_frame

  /** The print whose send is to be looked for, and sends that somebody chose. */
  const looking = ref('')
  const chosen = ref<Record<string, string>>({})

  const found = useDerived<{ print: string; placed: unknown[] }, SendsView>({
    kind: 'send',
    what: 'Looking for the send',
    subject: () => {
      const id = looking.value
      return id && store.track(id) ? { print: id, placed: store.tracks.map((t) => [t.id, t.start_frame]) } : null
    },
    of: ({ print }) => print,
    read: ({ print }) => ask(client.GET('/api/sessions/{session}/prints/send', { params: { path: path(), query: { print } } })),
    begin: ({ print }) => ask(client.POST('/api/sessions/{session}/prints/send', { params: { path: path() }, body: { print } })),
  })

  const send = computed(() => {
    const id = print.value?.id ?? ''
    // Of two microphones nobody was sent: the session's pair is what somebody chose.
    if (moving() === 'walker') return store.pair.a === id ? '' : store.pair.a
    const first = looking.value === id && found.view.value?.clear ? found.view.value.sends[0]?.track : undefined
    return chosen.value[id] ?? first ?? ''
  })

  /** What of it is seen closely. */
  const part = ref<Part>(null)
  const followed = useDerived<
    { send: string; print: string; moving: Moving; placed: unknown[]; carried: unknown[]; part: Part },
    PrintView
  >({
    kind: 'print',
    what: 'Following the print',
    subject: () => {
      const [s, p] = [store.track(send.value), print.value]
      if (!s || !p || s.id === p.id) return null
      const carried = [s, p].map((t) => [t.correction, t.pieces.length])
      return { send: s.id, print: p.id, moving: moving(), placed: [start(s.id), start(p.id)], carried, part: part.value }
    },
    of: ({ send, print, moving }) => [send, print, moving],
    read: ({ send, print, moving, part }) =>
      ask(client.GET('/api/sessions/{session}/prints', { params: { path: path(), query: { send, print, moving, ...part } } })),
    begin: ({ send, print, moving }) =>
      ask(client.POST('/api/sessions/{session}/prints', { params: { path: path() }, body: { send, print, moving } })),
  })

  // A track that is a print by its role has its send looked for at once; of others somebody asks for it.
  watch(
    print,
    (p, was) => {
      if (p?.id !== was?.id) part.value = null
      if (p?.role === 'print' && moving() === 'print') looking.value = p.id
    },
    { immediate: true },
  )
  // Both are heard and drawn as the session's pair.
  watch(send, (id) => id && id !== store.pair.a && store.choose(id), { immediate: true })

  function look(): void {
    if (!print.value) return
    chosen.value = Object.fromEntries(Object.entries(chosen.value).filter(([id]) => id !== print.value!.id))
    if (looking.value === print.value.id) void found.again()
    looking.value = print.value.id
  }

  function chooseSend(id: string): void {
    if (moving() === 'walker') store.choose(id)
    else if (print.value) chosen.value = { ...chosen.value, [print.value.id]: id }
  }

  /** Corrects the print in a way, or leaves it as recorded. */
  async function correct(way: Way | null): Promise<boolean> {
    const body = { send: send.value, print: print.value?.id ?? '', moving: moving(), way }
    try {
      await ask(client.POST('/api/sessions/{session}/prints/choice', { params: { path: path() }, body }))
      await store.reload()
      return true
    } catch (e) {
      tellTrouble((e as Error).message)
      return false
    }
  }

  return { print, send, looking, found, followed, part, look, chooseSend, correct }
}
