import { computed, reactive, ref, shallowRef } from 'vue'
import type { SessionDetail } from '../api/client'
import { Transport, type MixRequest, type PlayRange } from '../audio/transport'
import type { Viewport } from '../lanes/viewport'
import { tellTrouble } from '../shared/notice'
import type { makeDesk } from './desk'
import { sounding } from './deskRules'
import type { makeDocument } from './document'

export type Scope = 'pair' | 'apart' | 'group' | 'session'

/** What of the session is played, and how: the desk says it, a view may ask for something else while it is open. */
export function makeListening(
  document: ReturnType<typeof makeDocument>,
  desk: ReturnType<typeof makeDesk>,
  pair: { readonly a: string; readonly b: string },
  viewport: Viewport,
) {
  /** What a view has to hear while it is open, whatever the desk says: a scope, or tracks with places of their own. */
  const scopeHere = ref<Scope | null>(null)
  const placedHere = shallowRef<MixRequest['places'] | null>(null)
  /** A print that is heard as corrected in a way, before that is decided. */
  const triedHere = shallowRef<MixRequest['tried']>(null)
  /** A plan of timing that is heard before it is taken. */
  const planHere = shallowRef<MixRequest['plan']>(null)
  const transport = shallowRef<Transport | null>(null)
  const silent = { playing: false, frame: 0, context: 'none', blocks: 0, gaps: 0, answerMs: 0 }
  const heard = reactive({ ...silent, corrected: true, soundS: 0 })
  const scope = computed<Scope>(() => scopeHere.value ?? (desk.listening.value.scope as Scope))

  function makeTransport(): void {
    const frame = heard.frame
    void transport.value?.dispose()
    if (!document.detail.value?.session.rate_hz) return
    const changed = () => {
      Object.assign(heard, made.state)
      // Behind the last sound there is nothing to wait for.
      if (made.state.playing && made.state.frame > viewport.last + document.rateHz.value / 2) made.stop()
    }
    const made = new Transport(document.id.value, document.rateHz.value, changed, tellTrouble)
    transport.value = made
    made.state.frame = frame
    listen()
  }

  /** What a session says of how it sounds. */
  function sounds({ tracks, beats }: SessionDetail): string {
    return JSON.stringify([
      tracks.map((t) => [t.id, t.correction, t.stretches, t.side, t.pieces.length, t.pieces.reduce((sum, p) => sum + p.start, 0)]),
      desk.listening.value.click ? beats : null,
    ])
  }

  /** Tracks that belong to what is listened to, before mute and solo. */
  function chosen(): string[] {
    if (desk.listening.value.difference || scope.value === 'pair' || scope.value === 'apart') return [pair.a, pair.b]
    const all = document.tracks.value.map((t) => t.id)
    if (scope.value === 'session') return all
    const [of, link] = [desk.group(pair.b), document.track(pair.b)?.link_id]
    if (of) return all.filter((t) => of.tracks.includes(t))
    // Without a group: the file it is a channel of, else the track alone.
    return link ? document.tracks.value.filter((t) => t.link_id === link).map((t) => t.id) : [pair.b]
  }

  function mix(): MixRequest {
    const { mono, difference, dim, swap, matched, click, speed } = desk.listening.value
    const rest = { mono, dim, swap, matched, click, speed, tried: triedHere.value, plan: planHere.value }
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

  function hearHere(which: Scope | null, places: MixRequest['places'] | null = null, tried: MixRequest['tried'] = null): void {
    scopeHere.value = which
    placedHere.value = places
    triedHere.value = tried
    listen()
  }

  /** Hears a plan of timing, or, with null, what the tracks carry again. */
  function hearPlan(plan: MixRequest['plan']): void {
    planHere.value = plan
    listen()
  }

  async function toggleSound(): Promise<void> {
    try {
      const range = desk.state.value.range
      const { playing, frame } = heard
      // A loop that is on is begun before its first place, unless somebody stands in it.
      if (!playing && range?.on && (frame < range.from || frame >= range.to)) {
        transport.value?.seek(Math.max(viewport.first, range.from - range.pre_roll_s * document.rateHz.value))
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

  function reset(): void {
    void transport.value?.dispose()
    transport.value = null
    scopeHere.value = null
    triedHere.value = null
    planHere.value = null
    Object.assign(heard, silent)
  }

  return {
    scopeHere,
    triedHere,
    planHere,
    scope,
    transport,
    heard,
    makeTransport,
    sounds,
    listen,
    hearHere,
    hearPlan,
    toggleSound,
    playOnce,
    reset,
  }
}
