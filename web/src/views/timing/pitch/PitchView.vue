<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import LanesFold from '../../../lanes/LanesFold.vue'
import { useSession } from '../../../session/store'
import { useKeys } from '../../../shared/keys'
import { useAsked } from '../asked'
import HeldLine from '../HeldLine.vue'
import { useResults } from '../results'
import { sureness } from '../sureness'
import TimingPage from '../TimingPage.vue'
import NoteCard from './NoteCard.vue'
import { changeOf, freshPlan, planKey, toNearest, within, withNote, type NoteOf, type Plan } from './plan'
import StaffPlot from './StaffPlot.vue'
import { usePitch } from './usePitch'

const store = useSession()
const kept = () => store.desk.state.plans.retunes.find((r) => r.track === store.pair.a)
/** The plan is the session's: another window sees it too, and may change it. */
const draft = computed<Plan>(() => kept() ?? freshPlan(store.pair.a))
const { asked, listen, restart, settled } = useAsked<Plan>({
  draft,
  key: planKey,
  kept: () => kept() !== undefined,
  keep: () => store.desk.change({ retune: draft.value }),
  can: () => store.track(store.pair.a) !== undefined,
  again: () => void held.again(),
})
const { held, make, making, busy, trouble } = usePitch(() => asked.value)
const view = held.view
const current = computed(() => held.current.value && settled.value)
const name = computed(() => store.track(store.pair.a)?.name ?? '')
watch(
  () => store.pair.a,
  () => {
    chosen.value = null
    restart()
  },
)

const chosen = ref<number | null>(null)
const note = computed(() => (chosen.value === null ? undefined : view.value?.notes[chosen.value]))
const change = (plan: Plan) => store.desk.change({ retune: plan })
const changeNote = (part: Partial<Pick<NoteOf, 'cents' | 'drift' | 'vibrato'>>) =>
  note.value && change(withNote(draft.value, note.value, part))
function up(cents: number): void {
  if (note.value) changeNote({ cents: within((changeOf(draft.value, note.value)?.cents ?? 0) + cents) })
}

/** The loop, where there is one; else all of it. */
const range = computed<[number, number]>(() => {
  const loop = store.desk.state.range
  if (loop) return [loop.from, loop.to]
  const notes = view.value?.notes ?? []
  const [first, last] = [notes[0]?.from ?? 0, notes[notes.length - 1]?.to ?? store.rateHz]
  const beside = 0.02 * Math.max(store.rateHz, last - first)
  return [first - beside, last + beside]
})
const sure = computed(() => sureness(view.value?.notes ?? []))
const count = computed(() => draft.value.notes?.length ?? 0)
const sentence = computed(() => {
  const notes = view.value?.notes.length ?? 0
  if (notes === 0) return `${name.value} has no notes of a single voice.`
  const changes = count.value === 0 ? '' : `; ${count.value} of them change${count.value === 1 ? 's' : ''}`
  return `${notes} notes of ${name.value} – ${sure.value}${changes}.`
})

const bring = () => current.value && count.value > 0 && !busy.value && !view.value?.fits && void make(draft.value)
const { hearsOriginal, swap } = useResults(() => view.value?.made ?? [])

useKeys('Pitch', [
  { key: 'g', label: 'Listen to the pitch', run: listen },
  { key: 'j', label: 'The chosen note to the nearest key', run: () => note.value && changeNote({ cents: toNearest(note.value) }) },
  { key: '+', label: 'The chosen note up by 5 cents', run: () => up(5) },
  { key: '-', label: 'The chosen note down by 5 cents', run: () => up(-5) },
  { key: 'x', label: 'The chosen note as it was', run: () => changeNote({ cents: 0, drift: 100, vibrato: 100 }) },
  { key: 'o', label: 'Hear the original / the result', run: swap },
  { key: 'Enter', label: 'Retune it', run: bring },
])
</script>

<template>
  <TimingPage title="Pitch" :least="1">
    <template #pickers>
      <label for="voice">pitch of</label>
      <el-select
        id="voice"
        :model-value="store.pair.a"
        filterable
        size="small"
        class="pick"
        data-test="voice"
        @change="(id: string) => store.choose(id, undefined)"
      >
        <el-option v-for="t in store.inOrder" :key="t.id" :value="t.id" :label="t.name" />
      </el-select>
      <el-button type="primary" size="small" title="G" data-test="listen" @click="listen">Listen to it</el-button>
    </template>
    <LanesFold />
    <HeldLine :held="held" :waiting="!current">
      <p v-if="view" class="sentence" :class="sure" data-test="pitch-sentence">{{ sentence }}</p>
    </HeldLine>
    <div v-if="view && view.notes.length > 0" class="plots">
      <StaffPlot
        v-model="chosen"
        :found="view"
        :plan="draft"
        :range="range"
        @go="(at: number) => store.transport?.seek(Math.max(0, Math.round(at - store.rateHz / 2)))"
      />
      <aside class="facts" data-test="pitch-facts">
        <p v-if="trouble" class="undecided" role="alert">{{ trouble }}</p>
        <p v-if="count > 0 && view.fits && current" class="clear" data-test="made">It sounds like this.</p>
        <p v-else-if="busy && making" role="status">{{ making.title }}: {{ Math.round(making.progress * 100) }} %</p>
        <div class="buttons">
          <el-button
            v-if="!(view.fits && current) && count > 0"
            type="primary"
            size="small"
            title="Enter"
            :disabled="!current || busy"
            data-test="retune"
            @click="bring"
            >{{ view.made.length > 0 ? 'Make it anew' : 'Retune it' }}</el-button
          >
          <el-button v-if="view.made.length > 0" size="small" title="O" data-test="swap" @click="swap">{{
            hearsOriginal ? 'Hear the result' : 'Hear the original'
          }}</el-button>
        </div>
        <NoteCard v-if="note" :note="note" :plan="draft" @change="changeNote" />
        <p v-else class="soft">A note is chosen by a click or the arrow keys. The loop shows a part of it larger.</p>
        <p class="soft">
          Bars: notes; a thick line is solid. Formants, length and all that is not voiced stay as they are; what is not told for sure is
          better left.
        </p>
      </aside>
    </div>
    <p v-else-if="!asked" class="soft intro">
      The pitch of one voice or of one instrument that plays one note at a time is drawn on a staff of semitones. A note goes up or down by
      cents, its drift and its vibrato stay or are lessened, and the voice stays the one it is. Several voices at once have no pitch here.
    </p>
  </TimingPage>
</template>
