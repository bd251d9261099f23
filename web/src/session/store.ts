import { defineStore } from 'pinia'
import { computed, ref } from 'vue'
import type { SessionDetail } from '../api/client'
import { follow } from '../api/events'
import { makeViewport, showAll } from '../lanes/viewport'
import type { Unit } from '../shared/units'
import { makeDesk } from './desk'
import { ordered } from './deskRules'
import { makeDocument } from './document'
import { makeListening } from './listening'
import { makePair } from './pair'

export type { Changes } from './document'
export type { Scope } from './listening'

/** Longest pause between two tries to open a session whose server is away. */
const AWAY_MS = 3000

/** The open session: what the server says of it, and what this page listens to and looks at. */
export const useSession = defineStore('session', () => {
  const unit = ref<Unit>('ms')
  const viewport = makeViewport()
  /** Session frame of the hit that the lanes show. */
  const hitShown = ref<number | null>(null)
  const document = makeDocument({ read, flush: () => desk.flush() })
  const desk = makeDesk(
    () => document.id.value,
    () => listening.listen(),
  )
  const { pair, settle, choose, reset: resetPair } = makePair()
  const listening = makeListening(document, desk, pair, viewport)
  const inOrder = computed(() => ordered(desk.state.value, document.tracks.value))
  let leave: (() => void) | null = null
  /** Counts what was opened and closed: who waited for a session that was left meanwhile has nothing more to do. */
  let turn = 0

  async function open(session: string): Promise<void> {
    close()
    const mine = turn
    document.id.value = session
    await document.reload()
    // The server or its database may be away for a moment; what is said of it goes when it is back.
    for (let tries = 0; mine === turn && !document.detail.value && !document.missing.value; tries++) {
      await new Promise((resolve) => setTimeout(resolve, Math.min(300 * 2 ** tries, AWAY_MS)))
      if (mine === turn) await document.reload()
    }
    if (mine !== turn || !document.detail.value) return
    document.away.value = null
    leave = follow(session, {
      job: document.takeJob,
      changed: (revision) => {
        if (revision !== document.detail.value?.session.revision) void document.reload()
      },
      trouble: (message) => {
        const was = document.away.value
        document.away.value = message
        if (was && !message) void document.reload()
      },
      refused: async () => {
        await document.reload()
        if (mine !== turn || !document.missing.value) return
        leave?.()
        document.away.value = null
      },
    })
    listening.makeTransport()
  }

  /** What is looked at and heard follows what the server says. */
  function read(now: SessionDetail, before: SessionDetail | null): void {
    desk.take(now.desk)
    settle(document.tracks.value, document.anchorId.value)
    settleRange(before === null)
    if (before && before.session.rate_hz !== now.session.rate_hz) listening.makeTransport()
    // What is heard follows at once what was decided.
    if (before && listening.sounds(before) !== listening.sounds(now)) listening.transport.value?.renew()
    listening.listen()
  }

  /** Keeps the range that can be shown fitting to the tracks that are there. */
  function settleRange(first: boolean): void {
    const tracks = document.tracks.value
    // As recorded and as it plays now.
    const starts = tracks.flatMap((t) => [t.start_frame, ...t.pieces.map((p) => p.from)])
    const ends = tracks.flatMap((t) => [t.start_frame + t.frames, ...t.pieces.map((p) => p.to)])
    const was = viewport.last - viewport.first
    viewport.first = Math.min(0, ...starts)
    viewport.last = Math.max(document.rateHz.value, ...ends)
    if (first || viewport.last - viewport.first > was * 1.5) showAll(viewport)
  }

  /** Bars are counted from where the cursor stands. */
  function beginBar(): void {
    void document.change({ first_beat_frame: Math.round(listening.heard.frame) })
  }

  function close(): void {
    void desk.flush()
    turn++
    leave?.()
    leave = null
    listening.reset()
    document.reset()
    hitShown.value = null
    desk.reset()
    resetPair()
  }

  const { reset: _document, takeJob: _takeJob, ...ofDocument } = document
  const { reset: _listening, makeTransport: _makeTransport, sounds: _sounds, ...ofListening } = listening
  return { ...ofDocument, ...ofListening, unit, viewport, hitShown, desk, pair, choose, inOrder, open, beginBar, close }
})
