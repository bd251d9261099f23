import { useQuery } from '@tanstack/vue-query'
import { computed, ref, watch } from 'vue'
import { ask, client, sendFile, type Schemas } from '../../api/client'
import { useDerived } from '../../session/derived'
import { useSession } from '../../session/store'
import { tell, tellTrouble } from '../../shared/notice'

export type NotesView = Schemas['NotesView']
export type Score = Schemas['ScoreView']

/** The session's files of notes, one of them against the track that renders it. */
export function useNotes(wanted: { score: string; track: string }) {
  const store = useSession()
  const path = () => ({ session: store.id })

  const list = useQuery<Score[]>({
    queryKey: computed(() => [store.id, 'scores']),
    queryFn: () => ask(client.GET('/api/sessions/{session}/scores', { params: { path: path() } })),
    enabled: () => store.id !== '',
  })
  /** What is being removed is no choice from the click on: the server would be asked about what it has no more. */
  const going = ref('')
  const scores = computed(() => (list.data.value ?? []).filter((s) => s.id !== going.value))
  const chosen = ref(wanted)
  const score = computed(() => scores.value.find((s) => s.id === chosen.value.score) ?? scores.value[0] ?? null)
  const track = computed(() => store.track(chosen.value.track) ?? store.inOrder.find((t) => t.role === 'rendered') ?? null)

  const held = useDerived<{ score: string; track: string; placed: unknown[]; carried: unknown }, NotesView>({
    kind: 'notes',
    what: 'Holding it against its notes',
    subject: () => {
      const [s, t] = [score.value, track.value]
      if (!s || !t) return null
      const placed = [t.start_frame, store.detail?.session.first_beat_frame]
      return { score: s.id, track: t.id, placed, carried: t.correction }
    },
    of: ({ score, track }) => [score, track],
    read: ({ score, track }, { signal }) =>
      ask(client.GET('/api/sessions/{session}/notes', { params: { path: path(), query: { score, track } }, signal })),
    begin: ({ score, track }) => ask(client.POST('/api/sessions/{session}/notes', { params: { path: path() }, body: { score, track } })),
  })
  // A file that was removed is no choice any more.
  watch(scores, (all) => all.some((s) => s.id === chosen.value.score) || (chosen.value = { ...chosen.value, score: '' }))

  /** Says what was refused; true when all went well. */
  async function told(work: () => Promise<unknown>): Promise<boolean> {
    try {
      await work()
      return true
    } catch (e) {
      tellTrouble((e as Error).message)
      return false
    }
  }

  async function bring(file: File): Promise<void> {
    await told(async () => {
      const score = await sendFile<Score>(`/api/sessions/${store.id}/scores`, file)
      chosen.value = { ...chosen.value, score: score.id }
      await list.refetch()
    })
  }

  async function remove(id: string): Promise<void> {
    const params = { path: { ...path(), score: id } }
    going.value = id
    if (!(await told(() => ask(client.DELETE('/api/sessions/{session}/scores/{score}', { params }))))) going.value = ''
    await list.refetch()
  }

  async function takeTempo(id: string): Promise<void> {
    const params = { path: { ...path(), score: id } }
    const done = await told(() => ask(client.POST('/api/sessions/{session}/scores/{score}/tempo', { params })))
    if (!done) return
    await store.reload()
    tell('The session’s bars and beats follow these notes.')
  }

  /** Takes the latency out. */
  async function take(): Promise<void> {
    const body = { score: score.value?.id ?? '', track: track.value?.id ?? '' }
    if (await told(() => ask(client.POST('/api/sessions/{session}/notes/take', { params: { path: path() }, body })))) await store.reload()
  }

  return { scores, score, track, chosen, held, bring, remove, takeTempo, take, listed: list.isFetched }
}
