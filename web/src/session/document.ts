import { computed, reactive, ref, shallowRef } from 'vue'
import { ask, client, type Job, type SessionDetail, type SessionPatch, type Track, type TrackPatch } from '../api/client'
import { tell, tellTrouble } from '../shared/notice'
import { oneTempo } from '../shared/beats'
import type { Measure } from '../shared/units'
import { readAgain } from './queries'
import { makeMoves, makeTurns } from './turns'

/** Pause before a session that could not be read is read again, in ms. */
const AGAIN_MS = 1000

export type Changes = { track_id: string; after?: TrackPatch; by_frames?: number }[]

/** What somebody else does when the document moves. */
interface Follows {
  /** Read anew; `before`: what was known. */
  read: (now: SessionDetail, before: SessionDetail | null) => void
  /** Whatever waits to be sent goes before undo and redo. */
  flush: () => Promise<void>
}

/** What the server says of the open session, and what changes it. */
export function makeDocument(follows: Follows) {
  const id = ref('')
  const detail = shallowRef<SessionDetail | null>(null)
  const jobs = reactive(new Map<string, Job>())
  const away = ref<string | null>(null)
  const missing = ref(false)
  let loading: Promise<void> | null = null
  let following: Promise<void> | null = null
  /** The last reading failed, and said so. */
  let failed = false
  const inTurn = makeTurns()
  const moves = makeMoves((m) => decide(m.label, [{ track_id: m.id, by_frames: m.by }], true, m.series))

  const tracks = computed<Track[]>(() => detail.value?.tracks ?? [])
  const rateHz = computed(() => detail.value?.session.rate_hz ?? 48000)
  const measure = computed<Measure>(() => ({
    rateHz: rateHz.value,
    speedMS: detail.value?.speed_m_s ?? 343.2,
    bpm: detail.value?.session.bpm ?? 120,
    beats: detail.value?.beats ?? oneTempo(rateHz.value / 2),
  }))
  const anchorId = computed(() => detail.value?.session.anchor_id ?? tracks.value[0]?.id ?? '')
  const running = computed(() => [...jobs.values()].filter((j) => j.state === 'queued' || j.state === 'running'))
  /** What undo takes back, and what redo carries out again. */
  const undoes = computed(() => detail.value?.steps.undo ?? null)
  const redoes = computed(() => detail.value?.steps.redo ?? null)

  function track(which: string): Track | undefined {
    return tracks.value.find((t) => t.id === which)
  }

  /** One reload at a time. Asked for while one is under way, another follows: whoever asked sees what was changed before. */
  function reload(): Promise<void> {
    if (loading) {
      following ??= loading.then(() => {
        following = null
        return reload()
      })
      return following
    }
    loading = load().finally(() => (loading = null))
    return loading
  }

  async function load(): Promise<void> {
    const session = id.value
    try {
      const got = await ask(client.GET('/api/sessions/{session}', { params: { path: { session } } }))
      if (session !== id.value) return
      const before = detail.value
      detail.value = got
      missing.value = false
      if (failed) away.value = null
      failed = false
      if (before) readAgain(session)
      follows.read(got, before)
    } catch (e) {
      if (session !== id.value) return
      if ((e as { status?: number }).status === 404) {
        missing.value = true
        return
      }
      away.value = (e as Error).message
      failed = true
      // The server may have said that its database is back before this answer came: nobody else asks again.
      if (detail.value) setTimeout(() => failed && session === id.value && void reload(), AGAIN_MS)
    }
  }

  /** Sends something and reads the session again; what is refused is told. */
  async function send<T>(work: () => Promise<T>): Promise<T | undefined> {
    try {
      const done = await work()
      await reload()
      return done
    } catch (e) {
      tellTrouble((e as Error).message)
      return undefined
    }
  }
  const here = () => ({ params: { path: { session: id.value } } })

  /** Carries a decision out once those before it are: `changes` may look at what they have left. `byHand`: a group that moves
   * together comes along. Decisions of one series become one. */
  function decide(label: string, changes: Changes | (() => Changes), byHand = false, series: string | null = null): Promise<boolean> {
    if (series === null) moves.end()
    return inTurn(async () => {
      const made = await send(() => {
        const wanted = typeof changes === 'function' ? changes() : changes
        const body = { label, changes: wanted, with_groups: byHand, series }
        return ask(client.POST('/api/sessions/{session}/decisions', { ...here(), body }))
      })
      return made !== undefined
    })
  }

  /** Carries out what the server makes a decision of, once those before it are through. */
  function carryOut(work: () => Promise<unknown>): Promise<boolean> {
    moves.end()
    return inTurn(async () => (await send(async () => (await work(), true))) === true)
  }

  /** Left and right of two tracks, in sides and names: nothing of the sound. */
  async function exchangeSides(a: string, b: string): Promise<void> {
    await send(() => ask(client.POST('/api/sessions/{session}/sides', { ...here(), body: { a, b } })))
  }

  async function walk(way: 'undo' | 'redo'): Promise<void> {
    await moves.idle()
    await follows.flush()
    await inTurn(async () => {
      const step = () =>
        way === 'undo' ? client.POST('/api/sessions/{session}/undo', here()) : client.POST('/api/sessions/{session}/redo', here())
      const decision = await send(() => ask(step()))
      if (decision) tell(`${way === 'undo' ? 'Taken back' : 'Carried out again'}: ${decision.label}`)
    })
  }

  async function change(body: SessionPatch): Promise<void> {
    await send(() => ask(client.PATCH('/api/sessions/{session}', { ...here(), body })))
  }

  /** Tries a job again that failed or was cancelled, or leaves it for good. */
  async function settleJob(job: string, way: 'retry' | 'leave'): Promise<void> {
    const path = { params: { path: { job } } }
    try {
      if (way === 'retry') jobs.set(job, await ask(client.POST('/api/jobs/{job}/retry', path)))
      else {
        await ask(client.DELETE('/api/jobs/{job}', path))
        jobs.delete(job)
      }
    } catch (e) {
      tellTrouble((e as Error).message)
    }
  }

  /** A job that moved, as the server tells it. */
  function takeJob(job: Job): void {
    const known = jobs.get(job.id)
    jobs.set(job.id, job)
    // What failed long ago waits to be tried again; only what fails now is told.
    const now = known !== undefined || Date.now() - job.updated_ms < 5_000
    if (job.state === 'failed' && known?.state !== 'failed' && now) tellTrouble(job.error ?? `${job.title} failed.`)
    const note = (job.result as { note?: string } | null)?.note
    if (job.state === 'done' && known && known.state !== 'done' && note) tellTrouble(note)
  }

  function reset(): void {
    detail.value = null
    missing.value = false
    away.value = null
    failed = false
    jobs.clear()
  }

  const shown = { id, detail, jobs, away, missing, tracks, rateHz, measure, anchorId, running, undoes, redoes }
  /** Moves a track from where it is, as often and as fast as the key is pressed. The label is told the sum. */
  const nudge = moves.move
  return { ...shown, track, reload, decide, carryOut, nudge, exchangeSides, walk, change, settleJob, takeJob, reset }
}
