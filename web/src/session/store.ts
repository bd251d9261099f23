import { defineStore } from 'pinia'
import { computed, reactive, ref, shallowRef } from 'vue'
import { ask, client, type Job, type SessionDetail, type SessionPatch, type Track, type TrackPatch } from '../api/client'
import { follow } from '../api/events'
import { Transport, type MixRequest, type PlayRange } from '../audio/transport'
import { makeViewport, showAll } from '../lanes/viewport'
import { makeDesk } from './desk'
import { makeMoves, makeTurns } from './turns'
import { ordered, sounding } from './deskRules'
import { tell, tellTrouble } from '../shared/notice'
import type { Measure, Unit } from '../shared/units'

export type Changes = { track_id: string; after?: TrackPatch; by_frames?: number }[]
export type Scope = 'pair' | 'apart' | 'group' | 'session'

/** The open session: what the server says of it, and what this page listens to and looks at. */
export const useSession = defineStore('session', () => {
  const id = ref('')
  const detail = shallowRef<SessionDetail | null>(null)
  const jobs = reactive(new Map<string, Job>())
  const away = ref<string | null>(null)
  const missing = ref(false)
  const unit = ref<Unit>('ms')
  const pair = reactive<{ a: string; b: string }>({ a: '', b: '' })
  /** What a view has to hear while it is open, whatever the desk says: a scope, or tracks with places of their own. */
  const scopeHere = ref<Scope | null>(null)
  const placedHere = shallowRef<MixRequest['places'] | null>(null)
  const viewport = makeViewport()
  /** Session frame of the hit that the lanes show. */
  const hitShown = ref<number | null>(null)
  const transport = shallowRef<Transport | null>(null)
  const heard = reactive({ playing: false, frame: 0, corrected: true, context: 'none', blocks: 0, gaps: 0, soundS: 0, answerMs: 0 })
  const desk = makeDesk(() => id.value, listen)
  let leave: (() => void) | null = null
  let loading: Promise<void> | null = null
  let following: Promise<void> | null = null
  const inTurn = makeTurns()
  const moves = makeMoves((m) => decide(m.label, [{ track_id: m.id, by_frames: m.by }], true, m.series))
  const proposed = { a: '', b: '' }

  const tracks = computed<Track[]>(() => detail.value?.tracks ?? [])
  const rateHz = computed(() => detail.value?.session.rate_hz ?? 48000)
  const measure = computed<Measure>(() => ({
    rateHz: rateHz.value,
    speedMS: detail.value?.speed_m_s ?? 343.2,
    bpm: detail.value?.session.bpm ?? 120,
    firstBeatFrame: detail.value?.session.first_beat_frame ?? 0,
    beatsABar: detail.value?.session.beats_a_bar ?? 4,
  }))
  const scope = computed<Scope>(() => scopeHere.value ?? (desk.listening.value.scope as Scope))
  const anchorId = computed(() => detail.value?.session.anchor_id ?? tracks.value[0]?.id ?? '')
  const running = computed(() => [...jobs.values()].filter((j) => j.state === 'queued' || j.state === 'running'))
  /** What undo takes back, and what redo carries out again. */
  const undoes = computed(() => detail.value?.steps.undo ?? null)
  const redoes = computed(() => detail.value?.steps.redo ?? null)

  const inOrder = computed(() => ordered(desk.state.value, tracks.value))

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
        // What failed long ago waits to be tried again; only what fails now is told.
        const now = known !== undefined || Date.now() - job.updated_ms < 5_000
        if (job.state === 'failed' && known?.state !== 'failed' && now) tellTrouble(job.error ?? `${job.title} failed.`)
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
      const first = detail.value === null
      const rateWas = detail.value?.session.rate_hz
      const before = sounds()
      detail.value = got
      desk.take(got.desk)
      missing.value = false
      settle(first)
      if (rateWas !== got.session.rate_hz && !first) makeTransport()
      // What is heard follows at once what was decided.
      if (before !== sounds()) transport.value?.renew()
      listen()
    } catch (e) {
      if ((e as { status?: number }).status === 404) missing.value = true
      else away.value = (e as Error).message
    }
  }

  /** What the session says of how it sounds. */
  function sounds(): string {
    return JSON.stringify([
      tracks.value.map((t) => [t.id, t.correction, t.stretches, t.side]),
      desk.listening.value.click ? measure.value : null,
    ])
  }

  /** Keeps pair and range fitting to the tracks that are there. */
  function settle(first: boolean): void {
    // Until somebody chooses, the pair follows the anchor: recordings come in one after the other, in any order.
    if (!track(pair.a) || pair.a === proposed.a) pair.a = proposed.a = anchorId.value
    if (!track(pair.b) || pair.b === pair.a || pair.b === proposed.b)
      pair.b = proposed.b = tracks.value.find((t) => t.id !== pair.a)?.id ?? ''
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
    listen()
  }

  /** Tracks that belong to what is listened to, before mute and solo. */
  function chosen(): string[] {
    if (desk.listening.value.difference || scope.value === 'pair' || scope.value === 'apart') return [pair.a, pair.b]
    const all = tracks.value.map((t) => t.id)
    if (scope.value === 'session') return all
    const [of, link] = [desk.group(pair.b), track(pair.b)?.link_id]
    if (of) return all.filter((t) => of.tracks.includes(t))
    // Without a group: the file it is a channel of, else the track alone.
    return link ? tracks.value.filter((t) => t.link_id === link).map((t) => t.id) : [pair.b]
  }

  function mix(): MixRequest {
    const { mono, difference, dim, swap, matched, click, speed } = desk.listening.value
    const rest = { mono, dim, swap, matched, click, speed }
    const here = placedHere.value
    if (here && scopeHere.value)
      return { ...rest, tracks: Object.keys(here), places: here, centred: false, apart: false, difference: false }
    const own = (id: string) => ({ pan: desk.lane(id).pan ?? null, level_db: desk.lane(id).level_db })
    const heardTracks = difference ? chosen() : sounding(desk.state.value, chosen())
    const placed = heardTracks.filter((t) => own(t).pan !== null || own(t).level_db !== 0)
    const places = Object.fromEntries(placed.map((t) => [t, own(t)]))
    const [centred, apart] = [!difference && scope.value === 'pair', !difference && scope.value === 'apart']
    return { ...rest, tracks: heardTracks, places, centred, apart, difference }
  }

  /** The loop, while it is on. */
  function loop(): PlayRange | null {
    const range = desk.state.value.range
    return range?.on ? { from: range.from, to: range.to, repeat: true } : null
  }

  /** What sounds follows what the desk says; asks for nothing when it does already. */
  function listen(): void {
    if (transport.value && desk.listening.value.corrected !== heard.corrected) transport.value.hear(desk.listening.value.corrected)
    transport.value?.setMix(mix())
    transport.value?.setLoop(loop())
  }

  function hearHere(which: Scope | null, places: MixRequest['places'] | null = null): void {
    scopeHere.value = which
    placedHere.value = places
    listen()
  }

  async function toggleSound(): Promise<void> {
    try {
      const range = desk.state.value.range
      const { playing, frame } = heard
      // A loop that is on is begun before its first place, unless somebody stands in it.
      if (!playing && range?.on && (frame < range.from || frame >= range.to)) {
        transport.value?.seek(Math.max(viewport.first, range.from - range.pre_roll_s * rateHz.value))
      }
      await transport.value?.toggle()
    } catch (e) {
      tellTrouble((e as Error).message)
    }
  }

  /** Plays a part once and stands at its beginning again. */
  async function playOnce(from: number, to: number): Promise<void> {
    try {
      await transport.value?.play({ from: Math.round(from), to: Math.round(to), repeat: false })
    } catch (e) {
      tellTrouble((e as Error).message)
    }
  }

  /** Carries a decision out once those before it are: `changes` may look at what they have left. `byHand`: a group that moves
   * together comes along. Decisions of one series become one. */
  function decide(label: string, changes: Changes | (() => Changes), byHand = false, series: string | null = null): Promise<boolean> {
    if (series === null) moves.end()
    return inTurn(async () => {
      try {
        const wanted = typeof changes === 'function' ? changes() : changes
        const body = { label, changes: wanted, with_groups: byHand, series }
        await ask(client.POST('/api/sessions/{session}/decisions', { params: { path: { session: id.value } }, body }))
        await reload()
        return true
      } catch (e) {
        tellTrouble((e as Error).message)
        return false
      }
    })
  }

  /** Moves a track from where it is, as often and as fast as the key is pressed. The label is told the sum. */
  const nudge = moves.move

  /** Left and right of two tracks, in sides and names: nothing of the sound. */
  async function exchangeSides(a: string, b: string): Promise<void> {
    try {
      await ask(client.POST('/api/sessions/{session}/sides', { params: { path: { session: id.value } }, body: { a, b } }))
      await reload()
    } catch (e) {
      tellTrouble((e as Error).message)
    }
  }

  async function walk(way: 'undo' | 'redo'): Promise<void> {
    const params = { params: { path: { session: id.value } } }
    await moves.idle()
    await desk.flush()
    await inTurn(async () => {
      try {
        const walked =
          way === 'undo' ? client.POST('/api/sessions/{session}/undo', params) : client.POST('/api/sessions/{session}/redo', params)
        const decision = await ask(walked)
        await reload()
        if (decision) tell(`${way === 'undo' ? 'Taken back' : 'Carried out again'}: ${decision.label}`)
      } catch (e) {
        tellTrouble((e as Error).message)
      }
    })
  }

  async function change(body: SessionPatch): Promise<void> {
    try {
      await ask(client.PATCH('/api/sessions/{session}', { params: { path: { session: id.value } }, body }))
      await reload()
    } catch (e) {
      tellTrouble((e as Error).message)
    }
  }

  /** Bars are counted from where the cursor stands. */
  function beginBar(): void {
    void change({ first_beat_frame: Math.round(heard.frame) })
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

  function close(): void {
    void desk.flush()
    leave?.()
    leave = null
    void transport.value?.dispose()
    transport.value = null
    detail.value = null
    missing.value = false
    away.value = null
    jobs.clear()
    scopeHere.value = null
    hitShown.value = null
    desk.reset()
    Object.assign(pair, { a: '', b: '' })
    Object.assign(proposed, pair)
    Object.assign(heard, { playing: false, frame: 0, blocks: 0, gaps: 0, answerMs: 0, context: 'none' })
  }

  return {
    id,
    detail,
    jobs,
    away,
    missing,
    unit,
    pair,
    desk,
    scopeHere,
    hitShown,
    scope,
    hearHere,
    listen,
    playOnce,
    inOrder,
    viewport,
    transport,
    heard,
    tracks,
    rateHz,
    measure,
    anchorId,
    running,
    undoes,
    redoes,
    track,
    open,
    reload,
    toggleSound,
    choose,
    decide,
    nudge,
    exchangeSides,
    walk,
    change,
    beginBar,
    settleJob,
    close,
  }
})
