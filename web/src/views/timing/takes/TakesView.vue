<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import LanesFold from '../../../lanes/LanesFold.vue'
import { useSession } from '../../../session/store'
import { useKeys } from '../../../shared/keys'
import { typedNumber, vTyped } from '../../../shared/typed'
import { clock, fixed } from '../../../shared/units'
import HearPlan from '../HearPlan.vue'
import { useAsked } from '../asked'
import PairPickers from '../PairPickers.vue'
import ProofList from '../ProofList.vue'
import { sureness } from '../sureness'
import HeldLine from '../HeldLine.vue'
import TimingPage from '../TimingPage.vue'
import PassageList from './PassageList.vue'
import { freshPlan, planKey, withMeant, withMove, type Flag, type Plan } from './plan'
import ThreadsPlot from './ThreadsPlot.vue'
import { useTakes } from './useTakes'

/** Heard before and after a passage, in seconds. */
const AROUND_S = 1.5

const store = useSession()
const first = computed(() => store.track(store.pair.a))
const second = computed(() => store.track(store.pair.b))
const names = computed(() => [first.value?.name ?? '', second.value?.name ?? ''] as const)
const kept = () => store.desk.state.plans.takes.find((t) => t.first === store.pair.a && t.second === store.pair.b)
/** The plan is the session's: another window sees it too, and may change it. */
const draft = computed<Plan>(() => kept() ?? freshPlan(store.pair.a, store.pair.b))
const { asked, listen, restart, settled } = useAsked<Plan>({
  draft,
  key: planKey,
  kept: () => kept() !== undefined,
  keep: () => store.desk.change({ takes: draft.value }),
  can: () => first.value !== undefined && second.value !== undefined && first.value !== second.value,
  again: () => void held.again(),
})
const { held, take, busy } = useTakes(() => asked.value)
const view = held.view
watch(() => [store.pair.a, store.pair.b], restart)

const change = (plan: Plan) => store.desk.change({ takes: plan })
function slack(e: globalThis.Event): void {
  const value = typedNumber(e)
  if (value !== null) change({ ...draft.value, slack_ms: Math.max(0, Math.min(200, value)) })
}

const current = computed(() => held.current.value && settled.value)
const flagged = computed(() => (view.value?.flagged ?? []).map((flag, n) => ({ flag, meant: view.value!.meant[n] ?? false })))
const open = computed(() => flagged.value.filter((f) => !f.meant))
const moves = computed(() => draft.value.moves ?? [])
const carried = computed(() => view.value?.carried ?? [])
const isMoved = computed(() => {
  const wanted = [draft.value.first, draft.value.second].map((t) => moves.value.some((m) => m.track === t))
  return carried.value.length > 0 && carried.value.every((c, n) => c === (wanted[n] ? 'moved' : 'recorded'))
})
const cuts = computed(() => (view.value?.cut ?? []).filter((c) => c.joins.length > 0))

const move = (flag: Flag, n: 0 | 1 | null) => change(withMove(draft.value, flag, n))
function meant(flag: Flag, on: boolean): void {
  const at = clock(flag.range[0]!, store.rateHz)
  const label = `Difference at ${at} ${on ? 'meant' : 'not meant'}`
  store.desk.change({ meant: withMeant(store.desk.state.plans.meant, draft.value, flag, on) }, label)
}
const bring = () => void take(draft.value)
const back = () => void take({ ...draft.value, moves: [] })

/** Both hard left and right: alone, or in the song. */
const inSong = ref(false)
function apart(song: boolean): void {
  inSong.value = song
  const pan = (id: string) => (id === store.pair.a ? -1 : id === store.pair.b ? 1 : (store.desk.lane(id).pan ?? null))
  const places = Object.fromEntries(store.tracks.map((t) => [t.id, { pan: pan(t.id), level_db: store.desk.lane(t.id).level_db }]))
  if (song) store.hearHere('session', places)
  else store.hearHere('apart')
}
onBeforeUnmount(() => store.hearHere(null))
function hear(flag: Flag): void {
  if (store.scopeHere === null) apart(inSong.value)
  const [from, to] = flag.range as [number, number]
  void store.playOnce(Math.max(0, from - AROUND_S * store.rateHz), to + AROUND_S * store.rateHz)
}
let heard = -1
/** The next passage that is not meant. */
function next(): void {
  if (open.value.length === 0) return
  heard = (heard + 1) % open.value.length
  hear(open.value[heard]!.flag)
}

/** Strangers in one rhythm have chords at the same moments, and none of them is solid. */
const sure = computed(() => sureness(view.value?.chords ?? []))
const sentence = computed(() => {
  const v = view.value
  if (!v) return ''
  const told = v.chords.filter((c) => c.verdict !== 'undecided').length
  if (v.later_ms === null || v.later_ms === undefined)
    return `${names.value[0]} and ${names.value[1]} share no chord: they may be no takes of one part.`
  const strange = v.chords.some((c) => c.verdict === 'solid')
    ? ''
    : ' Their chords are hardly more alike than any others: are they takes of one part?'
  const later =
    Math.abs(v.later_ms) < 0.05 ? 'together with' : `${fixed(Math.abs(v.later_ms), 1)} ms ${v.later_ms < 0 ? 'before' : 'after'}`
  const off =
    open.value.length === 0 ? 'nowhere further apart than the slack' : `${open.value.length} passages further apart than the slack`
  return `${names.value[1]} comes ${later} ${names.value[0]} in the median of ${told} chords – ${sure.value}; ${open.value.length === 1 ? 'one passage further apart than the slack' : off}.${strange}`
})

useKeys('Takes', [
  { key: 'g', label: 'Hold the takes against each other', run: listen },
  { key: 'u', label: 'Both hard left and right: alone / in the song', run: () => apart(!inSong.value) },
  { key: 'n', label: 'Listen to the next passage that is off', run: next },
  { key: 'Enter', label: 'Bring the chosen passages together', run: () => current.value && moves.value.length > 0 && bring() },
])
</script>

<template>
  <TimingPage title="Takes" :least="2">
    <template #pickers>
      <PairPickers :first="{ of: 'a', label: 'takes', name: 'first' }" :second="{ of: 'b', label: 'and', name: 'second' }" />
      <el-button type="primary" size="small" title="G" data-test="listen" @click="listen">Hold them together</el-button>
      <span class="field">
        <label for="slack" title="Apart by no more than this they sit together">slack</label>
        <input id="slack" v-typed="draft.slack_ms" class="typed" inputmode="decimal" data-test="slack" @change="slack" />
        <span class="soft">ms</span>
      </span>
      <div class="choice" role="group" aria-label="Both hard left and right">
        <button :aria-pressed="store.scopeHere === 'apart'" title="U" data-test="apart-alone" @click="apart(false)">Apart, alone</button>
        <button :aria-pressed="store.scopeHere === 'session'" title="U" data-test="apart-song" @click="apart(true)">in the song</button>
      </div>
    </template>
    <LanesFold />
    <HeldLine :held="held" :waiting="!current">
      <p v-if="view" class="sentence" :class="sure" data-test="takes-sentence">
        {{ sentence }}
      </p>
    </HeldLine>
    <div v-if="view && view.chords.length > 0" class="plots">
      <ThreadsPlot :chords="view.chords" :flagged="flagged" :slack-ms="draft.slack_ms" :names="names" />
      <aside class="facts" data-test="takes-facts">
        <p v-if="moves.length > 0 && isMoved && current" class="clear" data-test="carried">The takes are moved like this.</p>
        <div v-if="moves.length > 0 || carried.some((c) => c !== 'recorded')" class="buttons">
          <el-button
            v-if="moves.length > 0 && !(isMoved && current)"
            type="primary"
            size="small"
            title="Enter"
            :disabled="busy || !current"
            data-test="bring-together"
            @click="bring"
            >Bring them together</el-button
          >
          <HearPlan v-if="moves.length > 0" :plan="{ takes: draft }" :ready="current" :carried="isMoved && current" />
          <el-button v-if="carried.some((c) => c !== 'recorded')" size="small" :disabled="busy" data-test="takes-as-recorded" @click="back"
            >As recorded</el-button
          >
        </div>
        <h2 title="The next one: N">Where they are apart</h2>
        <PassageList :flagged="flagged" :plan="draft" :names="names" @move="move" @meant="meant" @hear="hear" />
        <template v-for="c in cuts" :key="c.track">
          <p class="soft of">{{ store.track(c.track)?.name }}</p>
          <ProofList :proof="c.proof" :current="current" />
        </template>
        <p v-if="view.alone[0]!.length + view.alone[1]!.length > 0" class="soft">
          Only in {{ names[0] }}: {{ view.alone[0]!.length }}, only in {{ names[1] }}: {{ view.alone[1]!.length }}.
        </p>
        <p class="soft">Threads lean by the difference. Dots: as moved; rings: as recorded, or not told for sure.</p>
      </aside>
    </div>
    <p v-else-if="!asked" class="soft intro">
      Two takes of one part, played one after the other, are held against each other chord by chord, and against the beats. Where they are
      apart you hear it, and one of them is moved, or the difference is meant. Rather play it again where much is off.
    </p>
  </TimingPage>
</template>

<style scoped>
.of {
  margin: 6px 0 0;
}
</style>
