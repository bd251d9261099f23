<script setup lang="ts">
import { computed, ref, useTemplateRef, watch } from 'vue'
import LanesFold from '../../lanes/LanesFold.vue'
import type { LaneStroke } from '../../lanes/strokes'
import { ownFrame } from '../../lanes/values'
import { roomBefore, showHit } from '../../lanes/viewport'
import { useSession } from '../../session/store'
import { useKeys } from '../../shared/keys'
import { tellTrouble } from '../../shared/notice'
import { typedNumber, vTyped } from '../../shared/typed'
import { useAsked } from './asked'
import { laneStrokes } from './onLanes'
import HearPlan from './HearPlan.vue'
import PlanFacts from './PlanFacts.vue'
import SectionRow from './SectionRow.vue'
import StrokeCard from './StrokeCard.vue'
import StrokesPlot from './StrokesPlot.vue'
import HeldLine from './HeldLine.vue'
import SeveralTracks from './SeveralTracks.vue'
import TimingPage from './TimingPage.vue'
import {
  ALL_STROKES,
  asRecorded,
  cleaned,
  freshPlan,
  freshSection,
  placesAlike,
  planKey,
  preview,
  withDrawn,
  without,
  withOwn,
  type Event,
  type Plan,
  type Section,
} from './plan'
import { keepNoGrid, type Shown } from './strokes'
import { useTiming } from './useTiming'

const store = useSession()
const known = (id: string) => store.track(id) !== undefined
/** What is recorded at once is moved at once: everything but prints, renders and what is no microphone's. */
const usual = () => store.inOrder.filter((t) => !['print', 'rendered', 'direct'].includes(t.role)).map((t) => t.id)
const kept = () => store.desk.state.plans.timing ?? null
/** The plan is the session's: another window sees it too, and may change it. */
const draft = computed<Plan>(() => {
  const plan = kept()
  return plan && plan.set.some(known) ? cleaned(plan, known) : freshPlan(usual())
})
const { asked, listen, settled } = useAsked<Plan>({
  draft,
  key: planKey,
  kept: () => kept()?.set.some(known) ?? false,
  keep: () => change({}),
  can: () => draft.value.set.length > 0,
  again: () => void held.again(),
})
const { held, take, busy } = useTiming(() => asked.value)
const view = held.view

const change = (part: Partial<Plan>) => store.desk.change({ timing: { ...draft.value, ...part } })
const setSection = (n: number, to: Section) => change({ sections: draft.value.sections.map((s, i) => (i === n ? to : s)) })
const removeSection = (n: number) => change({ sections: draft.value.sections.filter((_, i) => i !== n) })
const loop = computed(() => store.desk.state.range ?? null)
function addSection(): void {
  const last = draft.value.sections[draft.value.sections.length - 1] ?? freshSection()
  if (loop.value) change({ sections: [...draft.value.sections, { ...last, range: [loop.value.from, loop.value.to] }] })
}
function typed(e: globalThis.Event, key: 'within_ms' | 'softest_db', least: number, most: number): void {
  const value = typedNumber(e)
  if (value !== null) change({ [key]: Math.max(least, Math.min(most, value)) })
}

/** The server's answer is about what is set now. */
const current = computed(() => held.current.value && settled.value)
/** What is shown: the answer, or until it is here what it would be. */
const shown = computed<Shown[]>(() => {
  const events = view.value?.events ?? []
  if (current.value || !asked.value || !placesAlike(asked.value, draft.value)) {
    return events.map((event) => ({ event, by: event.by, left: event.left, soft: false }))
  }
  return events.map((event) => ({ event, ...preview(event, draft.value, store.rateHz) }))
})
const noGrid = computed(
  () => draft.value.sections.length > 0 && draft.value.sections.every((s) => !s.onto) && keepNoGrid(shown.value, store.rateHz),
)
const anyMoved = computed(() => view.value !== null && view.value.events.some((e) => e.by !== 0))
const carried = computed(() => view.value?.carried ?? 'recorded')
const move = () => void take(draft.value)
const back = () => void take(asRecorded(draft.value))

/** A section's moves are taken back and the others left, as soon as the set is cut anew: the plan that waits for it. */
const takingBack = ref('')
function sectionBack(n: number): void {
  setSection(n, { ...draft.value.sections[n]!, strength: 0 })
  takingBack.value = planKey(draft.value)
}
watch(current, (now) => {
  if (!now || takingBack.value === '') return
  // Whoever has changed it meanwhile wants to see it first.
  const same = takingBack.value === planKey(draft.value)
  takingBack.value = ''
  if (same) void take(anyMoved.value ? draft.value : asRecorded(draft.value))
})

/** The stroke that is looked at, and those of which track. */
const chosen = ref<number | null>(null)
const only = ref('')
const plot = useTemplateRef('plot')
const facts = useTemplateRef('facts')
watch(
  () => shown.value.length,
  (now) => {
    if (chosen.value !== null && chosen.value >= now) chosen.value = null
  },
)
const looked = computed(() => (chosen.value === null ? undefined : shown.value[chosen.value]))

function moveByHand(events: Event[], by: number | null): void {
  store.desk.change({ timing: events.reduce((plan, e) => withOwn(plan, e.at, by, store.rateHz), draft.value) })
}
const pin = (event: Event, on: boolean) =>
  store.desk.change({ timing: withOwn(draft.value, event.at, looked.value?.by ?? 0, store.rateHz, on) })
const leaveOut = (event: Event) => {
  const strokes = event.tracks.map((track) => ({ track, at: Math.round(event.at) }))
  store.desk.change({ timing: without(draft.value, strokes, store.rateHz) })
  chosen.value = null
}
/** A stroke that was not found: where the sound stands, on the track that is looked at. */
function draw(): void {
  const track = store.track(only.value || (draft.value.hits?.[0] ?? store.pair.b))
  if (!track || !draft.value.set.includes(track.id)) return tellTrouble('Choose the track that is struck above the plot first.')
  const own = ownFrame(track.pieces, store.heard.frame)
  if (own === null) return tellTrouble(`Nothing of ${track.name} plays here: a stroke is drawn where it sounds.`)
  const at = Math.round(track.start_frame + own + track.correction.offset_frames + track.path_frames)
  store.desk.change({ timing: withDrawn(draft.value, { track: track.id, at }, store.rateHz) })
  if (!asked.value) listen()
}
/** The next stroke of the track that is looked at, large on the lanes: always with the same room before the attack. */
function step(by: 1 | -1): void {
  plot.value?.step(by)
  const one = looked.value
  if (!one) return
  showHit(store.viewport, one.event.at, roomBefore(null, store.rateHz), Math.abs(one.event.meant - one.event.at) * 1.8)
  plot.value?.go()
}

const onLanes = computed<LaneStroke[]>(() => {
  if (!view.value) return []
  const softest = draft.value.softest_db ?? ALL_STROKES
  return laneStrokes(view.value.strokes, shown.value, { track: store.track, softest, drawn: draft.value.added ?? [] })
})

const when = (run: (event: Event) => void) => () => looked.value && run(looked.value.event)
useKeys('Timing', [
  { key: 'g', label: 'Listen for the strokes', run: listen },
  { key: '=', label: 'A section of its own for the loop', run: addSection },
  { key: 'n', label: 'Next stroke', run: () => step(1) },
  { key: 'b', label: 'Stroke before', run: () => step(-1) },
  { key: 't', label: 'Next of what has to be listened to', run: () => facts.value?.next() },
  { key: 'a', label: 'Leave the stroke as played', run: when((e) => moveByHand([e], 0)) },
  { key: 'x', label: 'The stroke is none', run: when(leaveOut) },
  { key: 'd', label: 'Draw a stroke where the sound stands', run: draw },
  { key: 'Enter', label: 'Move them together', run: () => current.value && anyMoved.value && move() },
])
</script>

<template>
  <TimingPage title="Timing" :least="1">
    <template #pickers>
      <label for="set" title="Tracks that are cut and moved together">tracks of the set</label>
      <SeveralTracks
        id="set"
        :model-value="draft.set"
        class="several"
        data-test="set"
        @update:model-value="(set: string[]) => change({ set })"
      />
      <label for="hits" title="Tracks whose strokes are moved, and all that sounds with them">strokes of</label>
      <SeveralTracks
        id="hits"
        :model-value="draft.hits ?? []"
        class="several"
        placeholder="all that have some"
        data-test="hits"
        @update:model-value="(hits: string[]) => change({ hits })"
      />
      <el-button type="primary" size="small" title="G" :disabled="draft.set.length === 0" data-test="listen" @click="listen">
        Listen for strokes
      </el-button>
      <span class="of-strokes">
        <label for="softest" title="Softer strokes, against a usual one of their source, are not moved by themselves">softest stroke</label>
        <input
          id="softest"
          type="range"
          :min="ALL_STROKES"
          max="0"
          step="1"
          :value="draft.softest_db ?? ALL_STROKES"
          data-test="softest"
          @input="typed($event, 'softest_db', ALL_STROKES, 0)"
        />
        <span class="mono db">{{ (draft.softest_db ?? ALL_STROKES) <= ALL_STROKES ? 'all' : `\u2212${-(draft.softest_db ?? 0)} dB` }}</span>
        <label for="within" title="Strokes of several tracks closer together than this are one">one stroke within</label>
        <input
          id="within"
          v-typed="draft.within_ms"
          class="typed"
          inputmode="decimal"
          data-test="within"
          @change="typed($event, 'within_ms', 0, 100)"
        />
        <span class="soft">ms</span>
      </span>
    </template>
    <div class="sections">
      <SectionRow
        v-for="(s, n) in draft.sections"
        :key="n"
        :section="s"
        :index="n"
        @change="setSection(n, $event)"
        @remove="removeSection(n)"
      >
        <button
          v-if="carried === 'moved' && current && s.strength > 0"
          class="plain"
          title="Takes the moves of this section back, and leaves the others"
          data-test="section-back"
          @click="sectionBack(n)"
        >
          As played
        </button>
        <button
          v-if="n === draft.sections.length - 1"
          class="plain"
          :disabled="!loop"
          :title="loop ? '=' : 'Mark a part with the loop first'"
          data-test="add-section"
          @click="addSection"
        >
          A section of its own for the loop
        </button>
      </SectionRow>
      <button v-if="draft.sections.length === 0" class="plain" data-test="first-section" @click="change({ sections: [freshSection()] })">
        Onto a grid
      </button>
    </div>
    <LanesFold :strokes="onLanes" />
    <HeldLine :held="held" :waiting="!current">
      <p v-if="view && view.events.length === 0" class="sentence" data-test="no-strokes">
        No stroke of these tracks was found. Strokes need a near microphone; the check shows which tracks have a source of their own.
      </p>
      <p v-else-if="view && noGrid" class="sentence undecided" data-test="no-grid">
        These strokes lie anywhere between the places of this grid. Does the session’s tempo fit them?
        <router-link :to="{ name: 'tempo', params: { session: store.id } }">Tempo</router-link> tells.
      </p>
    </HeldLine>
    <div v-if="view && view.events.length > 0" class="plots">
      <StrokesPlot ref="plot" v-model="chosen" v-model:only="only" :shown="shown" />
      <PlanFacts ref="facts" :view="view" :shown="shown" :current="current" @choose="chosen = $event">
        <StrokeCard
          v-if="chosen !== null && looked"
          :shown="shown"
          :index="chosen"
          :plan="draft"
          @move="moveByHand"
          @pin="pin"
          @leave-out="leaveOut"
          @close="chosen = null"
        />
        <p v-if="carried === 'moved' && current" class="clear" data-test="carried">The tracks are moved like this.</p>
        <p v-else-if="carried === 'other'" class="soft" data-test="carried">The tracks are moved by another plan now.</p>
        <div class="buttons">
          <el-button
            v-if="carried !== 'moved' || !current"
            type="primary"
            size="small"
            title="Enter"
            :disabled="busy || !current || !anyMoved"
            data-test="move"
            @click="move"
            >Move them together</el-button
          >
          <HearPlan :plan="{ timing: draft }" :ready="current && anyMoved" :carried="carried === 'moved' && current" />
          <el-button v-if="carried !== 'recorded'" size="small" :disabled="busy" data-test="set-as-recorded" @click="back"
            >As recorded</el-button
          >
        </div>
      </PlanFacts>
    </div>
    <div v-else-if="!asked" class="soft intro">
      <p>
        Rather ask the player again, or move one stroke instead of all. Where a set is to sit closer, its strokes are found, each is held
        against the beats, and all tracks are cut and moved at the same moments, so that its microphones stay as they stand to one another.
        Every move is shown first; afterwards every attack is read back. Align arrivals before.
      </p>
    </div>
  </TimingPage>
</template>

<style scoped>
.several {
  width: 150px;
}
.of-strokes {
  display: inline-flex;
  align-items: center;
  gap: 8px;
}
.db {
  min-width: 36px;
}
[type='range'] {
  accent-color: var(--depth);
  width: 80px;
}
.sections {
  display: grid;
  gap: 4px;
  justify-items: start;
  padding: 2px 0;
}
</style>
