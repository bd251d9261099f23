import { computed, onBeforeUnmount, ref, shallowRef, watch, type Ref } from 'vue'
import { ask, client, type ImageView } from '../../api/client'
import { followJob } from '../../session/followJob'
import { useSession } from '../../session/store'
import { tellTrouble } from '../../shared/notice'

/** The image of the chosen channels as they are carried: asked for when it is not there, again when a correction changes. */
export function useImage(channels: Ref<string[]>, asked: Ref<{ from?: number; to?: number; order: 'wav' | 'smpte' }>) {
  const store = useSession()
  const view = shallowRef<ImageView | null>(null)
  const trouble = ref('')
  const job = ref('')
  /** What the view that is shown was measured of. */
  const shown = ref('')
  let turn = 0

  const carried = computed(() =>
    channels.value.map((id) => [id, store.track(id)?.start_frame, store.track(id)?.correction, store.track(id)?.stretches]),
  )
  const key = computed(() => JSON.stringify([...carried.value, [asked.value]]))
  const running = followJob(job, trouble, 'Measuring the image', read)
  const path = () => ({ session: store.id })

  async function read(): Promise<void> {
    const mine = ++turn
    const tracks = channels.value
    if (tracks.length < 2) return
    try {
      const made = await ask(client.POST('/api/sessions/{session}/image', { params: { path: path() }, body: { tracks, ...asked.value } }))
      if (mine !== turn) return
      if (typeof made === 'string' && made !== '') {
        job.value = made
        return
      }
      job.value = ''
      const got = await ask(
        client.GET('/api/sessions/{session}/image', { params: { path: path(), query: { tracks: tracks.join(), ...asked.value } } }),
      )
      // Nothing when something moved in between: then it is asked for anew.
      if (mine === turn && got) {
        view.value = got
        shown.value = key.value
      }
    } catch (e) {
      if (mine === turn) trouble.value = (e as Error).message
    }
  }

  /** All of the tracks carries the repair, or only the range that was measured. */
  async function accept(onlyRange: boolean): Promise<void> {
    try {
      await ask(
        client.POST('/api/sessions/{session}/image/accept', {
          params: { path: path() },
          body: { tracks: channels.value, ...asked.value, only_range: onlyRange },
        }),
      )
      await store.reload()
    } catch (e) {
      tellTrouble((e as Error).message)
    }
  }

  watch(
    key,
    (_, before) => {
      const same =
        before !== undefined &&
        JSON.stringify(channels.value) === JSON.stringify((JSON.parse(before) as string[][]).slice(0, -1).map((c) => c[0]))
      // The picture of the same channels stays until the new one is there.
      if (!same) view.value = null
      trouble.value = ''
      job.value = ''
      void read()
    },
    { immediate: true },
  )
  onBeforeUnmount(() => turn++)
  /** What is shown is what was asked for. */
  const current = computed(() => shown.value === key.value)
  return { view, trouble, running, current, accept }
}
