import { defineStore } from 'pinia'
import { computed, reactive, ref, shallowRef } from 'vue'
import { ask, client, type Job, type SessionDetail, type Track, type TrackPatch } from '../api/client'
import { follow } from '../api/events'
import { Transport, type MixRequest } from '../audio/transport'
import { makeViewport, showAll } from '../lanes/viewport'
import { tellTrouble } from '../shared/notice'
import type { Measure, Unit } from '../shared/units'

export type Scope = 'pair' | 'apart' | 'session'

/** The open session: what the server says of it, and what this page listens to and looks at. */
export const useSession = defineStore('session', () => {
  const id = ref('')
  const detail = shallowRef<SessionDetail | null>(null)
  const jobs = reactive(new Map<string, Job>())
  const away = ref<string | null>(null)
  const missing = ref(false)
  const unit = ref<Unit>('ms')
  const pair = reactive<{ a: string; b: string }>({ a: '', b: '' })
  const scope = ref<Scope>('session')
  const mono = ref(false)
  /** The first of the pair minus the second is heard. */
  const difference = ref(false)
  const muted = reactive(new Set<string>())
  const soloed = reactive(new Set<string>())
  const viewport = makeViewport()
  const transport = shallowRef<Transport | null>(null)
  const heard = reactive({ playing: false, frame: 0, corrected: true, context: 'none', blocks: 0, gaps: 0 })
  let leave: (() => void) | null = null
  let loading: Promise<void> | null = null
  let again = false
  const proposed = { a: '', b: '' }

  const tracks = computed<Track[]>(() => detail.value?.tracks ?? [])
  const rateHz = computed(() => detail.value?.session.rate_hz ?? 48000)
  const measure = computed<Measure>(() => ({
    rateHz: rateHz.value,
    speedMS: detail.value?.speed_m_s ?? 343.2,
    bpm: detail.value?.session.bpm ?? 120,
  }))
  const anchorId = computed(() => detail.value?.session.anchor_id ?? tracks.value[0]?.id ?? '')
  const running = computed(() => [...jobs.values()].filter((j) => j.state === 'queued' || j.state === 'running'))
  const canUndo = computed(() => detail.value?.decisions.some((d) => d.state === 'done') ?? false)
  const canRedo = computed(() => detail.value?.decisions.some((d) => d.state === 'undone') ?? false)

  function track(which: string): Track | undefined {
    return tracks.value.find((t) => t.id === which)
  }

  async function open(session: string): Promise<void> {
    close()
    id.value = session
    await reload()
    if (!detail.value) return
    leave = follow(session, {
      job: (job) => {
        const known = jobs.get(job.id)
        jobs.set(job.id, job)
        if (job.state === 'failed' && known?.state !== 'failed') tellTrouble(job.error ?? `${job.title} failed.`)
        const note = (job.result as { note?: string } | null)?.note
        if (job.state === 'done' && known && known.state !== 'done' && note) tellTrouble(note)
      },
      changed: (revision) => {
        if (revision !== detail.value?.session.revision) void reload()
      },
      trouble: (message) => {
        const was = away.value
        away.value = message
        if (was && !message) void reload()
      },
    })
    makeTransport()
  }

  /** One reload at a time; one more when something moved meanwhile. */
  function reload(): Promise<void> {
    if (loading) {
      again = true
      return loading
    }
    loading = load().finally(() => {
      loading = null
      if (again) {
        again = false
        void reload()
      }
    })
    return loading
  }

  async function load(): Promise<void> {
    const session = id.value
    try {
      const got = await ask(client.GET('/api/sessions/{session}', { params: { path: { session } } }))
      if (session !== id.value) return
      const first = detail.value === null
      const rateWas = detail.value?.session.rate_hz
      const before = corrections()
      detail.value = got
      missing.value = false
      settle(first)
      if (rateWas !== got.session.rate_hz && !first) makeTransport()
      // What is heard follows at once what was decided.
      if (before !== corrections()) pushMix()
    } catch (e) {
      if ((e as { status?: number }).status === 404) missing.value = true
      else away.value = (e as Error).message
    }
  }

  function corrections(): string {
    return JSON.stringify(tracks.value.map((t) => [t.id, t.correction, t.side]))
  }

  /** Keeps pair and range fitting to the tracks that are there. */
  function settle(first: boolean): void {
    // Until somebody chooses, the pair follows the anchor: recordings come in one after the other, in any order.
    if (!track(pair.a) || pair.a === proposed.a) pair.a = anchorId.value
    if (!track(pair.b) || pair.b === pair.a || pair.b === proposed.b) pair.b = tracks.value.find((t) => t.id !== pair.a)?.id ?? ''
    Object.assign(proposed, pair)
    const starts = tracks.value.map((t) => t.start_frame + Math.min(0, t.correction.offset_frames))
    const ends = tracks.value.map((t) => t.start_frame + t.frames + Math.max(0, t.correction.offset_frames))
    const was = viewport.last - viewport.first
    viewport.first = Math.min(0, ...starts)
    viewport.last = Math.max(rateHz.value, ...ends)
    if (first || viewport.last - viewport.first > was * 1.5) showAll(viewport)
  }

  /** Somebody chose the pair: from now on it stays. */
  function choose(a = pair.a, b = pair.b): void {
    Object.assign(pair, { a, b })
    Object.assign(proposed, { a: '', b: '' })
  }

  function makeTransport(): void {
    const frame = heard.frame
    void transport.value?.dispose()
    if (!detail.value?.session.rate_hz) return
    const changed = () => {
      Object.assign(heard, made.state)
      // Behind the last sound there is nothing to wait for.
      if (made.state.playing && made.state.frame > viewport.last + rateHz.value / 2) made.stop()
    }
    const made = new Transport(id.value, rateHz.value, changed, tellTrouble)
    transport.value = made
    made.state.frame = frame
    made.hear(heard.corrected)
    pushMix()
  }

  function mix(): MixRequest {
    const chosen = scope.value !== 'session' || difference.value ? [pair.a, pair.b] : tracks.value.map((t) => t.id)
    if (difference.value) return { tracks: chosen, centred: false, apart: false, difference: true, mono: mono.value }
    const here = chosen.filter((t) => soloed.has(t))
    const sounding = here.length > 0 ? here : chosen.filter((t) => !muted.has(t))
    return { tracks: sounding, centred: scope.value === 'pair', apart: scope.value === 'apart', difference: false, mono: mono.value }
  }

  function pushMix(): void {
    transport.value?.setMix(mix())
  }

  async function toggleSound(): Promise<void> {
    try {
      await transport.value?.toggle()
    } catch (e) {
      tellTrouble((e as Error).message)
    }
  }

  function flip(set: Set<string>, which: string): void {
    if (!set.delete(which)) set.add(which)
    pushMix()
  }

  async function decide(label: string, changes: { track_id: string; after: TrackPatch }[]): Promise<boolean> {
    try {
      const path = { session: id.value }
      await ask(client.POST('/api/sessions/{session}/decisions', { params: { path }, body: { label, changes } }))
      await reload()
      return true
    } catch (e) {
      tellTrouble((e as Error).message)
      return false
    }
  }

  async function walk(way: 'undo' | 'redo'): Promise<void> {
    const params = { params: { path: { session: id.value } } }
    try {
      await ask(way === 'undo' ? client.POST('/api/sessions/{session}/undo', params) : client.POST('/api/sessions/{session}/redo', params))
      await reload()
    } catch (e) {
      tellTrouble((e as Error).message)
    }
  }

  async function change(body: { name?: string; temperature_c?: number; bpm?: number; anchor_id?: string }): Promise<void> {
    try {
      await ask(client.PATCH('/api/sessions/{session}', { params: { path: { session: id.value } }, body }))
      await reload()
    } catch (e) {
      tellTrouble((e as Error).message)
    }
  }

  function close(): void {
    leave?.()
    leave = null
    void transport.value?.dispose()
    transport.value = null
    detail.value = null
    missing.value = false
    away.value = null
    jobs.clear()
    muted.clear()
    soloed.clear()
    Object.assign(pair, { a: '', b: '' })
    Object.assign(proposed, pair)
    Object.assign(heard, { playing: false, frame: 0, blocks: 0, gaps: 0, context: 'none' })
  }

  return {
    id,
    detail,
    jobs,
    away,
    missing,
    unit,
    pair,
    scope,
    mono,
    difference,
    muted,
    soloed,
    viewport,
    transport,
    heard,
    tracks,
    rateHz,
    measure,
    anchorId,
    running,
    canUndo,
    canRedo,
    track,
    open,
    reload,
    pushMix,
    toggleSound,
    choose,
    flip,
    decide,
    walk,
    change,
    close,
  }
})
