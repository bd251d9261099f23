<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import LanesFold from '../../lanes/LanesFold.vue'
import { useAddress } from '../../session/address'
import { useSession } from '../../session/store'
import { useKeys } from '../../shared/keys'
import PlanFacts from './PlanFacts.vue'
import SectionRow from './SectionRow.vue'
import StrokesPlot from './StrokesPlot.vue'
import { freshSection, placesAlike, planOf, plans, preview, type Plan, type Section } from './plan'
import { keepNoGrid, type Shown } from './strokes'
import { useTiming } from './useTiming'

/** Pause after the last change of a setting before the server is asked, in ms. */
const SETTLED_MS = 500

const store = useSession()
const address = useAddress()
const kept = planOf(address.read('plan')) ?? plans.get(store.id) ?? null
const draft = shallowRef<Plan>(kept ?? { set: [], hits: [], within_ms: 12, sections: [freshSection()] })
const asked = ref<Plan | null>(kept)
const { held, take, busy } = useTiming(() => asked.value)
if (kept) address.write({ plan: JSON.stringify(kept) })
const view = held.view

// What is recorded at once is moved at once: everything but prints, renders and what is no microphone's.
watch(
  () => store.tracks.length,
  () => {
    if (draft.value.set.length > 0 || store.tracks.length === 0) return
    const heard = store.inOrder.filter((t) => !['print', 'rendered', 'direct'].includes(t.role))
    draft.value = { ...draft.value, set: heard.map((t) => t.id) }
  },
  { immediate: true },
)

let settling = 0
function change(part: Partial<Plan>): void {
  draft.value = { ...draft.value, ...part }
  clearTimeout(settling)
  if (asked.value) settling = window.setTimeout(listen, SETTLED_MS)
}
function listen(): void {
  clearTimeout(settling)
  if (draft.value.set.length === 0) return
  if (JSON.stringify(asked.value) === JSON.stringify(draft.value)) void held.again()
  asked.value = draft.value
  plans.set(store.id, draft.value)
  address.write({ plan: JSON.stringify(draft.value) })
}
const setSection = (n: number, to: Section) => change({ sections: draft.value.sections.map((s, i) => (i === n ? to : s)) })
const removeSection = (n: number) => change({ sections: draft.value.sections.filter((_, i) => i !== n) })
const loop = computed(() => store.desk.state.range ?? null)
function addSection(): void {
  const last = draft.value.sections[draft.value.sections.length - 1] ?? freshSection()
  if (loop.value) change({ sections: [...draft.value.sections, { ...last, range: [loop.value.from, loop.value.to] }] })
}

/** The server's answer is about what is set now. */
const current = computed(() => held.current.value && JSON.stringify(asked.value) === JSON.stringify(draft.value))
/** What is shown: the answer, or until it is here what it would be. */
const shown = computed<Shown[]>(() => {
  const events = view.value?.events ?? []
  if (current.value || !asked.value || !placesAlike(asked.value, draft.value)) {
    return events.map((event) => ({ event, by: event.by, left: event.left }))
  }
  return events.map((event) => ({ event, ...preview(event, draft.value, store.rateHz) }))
})
const noGrid = computed(() => draft.value.sections.every((s) => s.onto === null) && keepNoGrid(shown.value, store.rateHz))
const anyMoved = computed(() => view.value !== null && view.value.events.some((e) => e.by !== 0))
const carried = computed(() => view.value?.carried ?? 'recorded')
const move = () => void take(draft.value)
const asRecorded = () => void take({ ...draft.value, sections: [] })

useKeys('Timing', [
  { key: 'g', label: 'Listen for the strokes', run: listen },
  { key: '=', label: 'A section of its own for the loop', run: addSection },
  { key: 'Enter', label: 'Move them together', run: () => current.value && anyMoved.value && move() },
])
</script>

<template>
  <div class="timing filled">
    <div v-if="store.tracks.length === 0" class="view">
      <h1>Timing</h1>
      <p>
        The strokes of a set are moved together, so that its microphones stay as they stand to one another.
        <router-link :to="{ name: 'recordings', params: { session: store.id } }">Bring in recordings</router-link>.
      </p>
    </div>
    <template v-else>
      <div class="pickers">
        <h1>Timing</h1>
        <label for="set">tracks moved together</label>
        <el-select
          id="set"
          :model-value="draft.set"
          multiple
          collapse-tags
          collapse-tags-tooltip
          filterable
          size="small"
          class="several"
          data-test="set"
          @change="(set: string[]) => change({ set })"
        >
          <el-option v-for="t in store.inOrder" :key="t.id" :value="t.id" :label="t.name" />
        </el-select>
        <label for="hits">by the strokes of</label>
        <el-select
          id="hits"
          :model-value="draft.hits"
          multiple
          collapse-tags
          collapse-tags-tooltip
          filterable
          size="small"
          class="several"
          placeholder="all that have some"
          data-test="hits"
          @change="(hits: string[]) => change({ hits })"
        >
          <el-option v-for="t in store.inOrder" :key="t.id" :value="t.id" :label="t.name" />
        </el-select>
        <el-button type="primary" size="small" title="G" :disabled="draft.set.length === 0" data-test="listen" @click="listen">
          Listen for strokes
        </el-button>
      </div>
      <div class="sections">
        <SectionRow
          v-for="(s, n) in draft.sections"
          :key="n"
          :section="s"
          :index="n"
          :alone="draft.sections.length === 1"
          @change="setSection(n, $event)"
          @remove="removeSection(n)"
        >
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
      </div>
      <LanesFold />
      <p v-if="held.trouble.value" class="sentence undecided" role="alert">{{ held.trouble.value }}</p>
      <p v-else-if="held.job.value && !current" class="sentence" role="status">
        {{ held.job.value.title }}: {{ Math.round(held.job.value.progress * 100) }} %
      </p>
      <p v-else-if="view && view.events.length === 0" class="sentence" data-test="no-strokes">
        No stroke of these tracks was found. Strokes need a near microphone; the check shows which tracks have a source of their own.
      </p>
      <p v-else-if="view && noGrid" class="sentence undecided" data-test="no-grid">
        These strokes lie anywhere between the places of this grid. Does the session’s tempo fit them?
        <router-link :to="{ name: 'tempo', params: { session: store.id } }">Tempo</router-link> tells.
      </p>
      <div v-if="view && view.events.length > 0" class="plots">
        <StrokesPlot :shown="shown" />
        <PlanFacts :view="view" :shown="shown" :current="current">
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
            <el-button v-if="carried !== 'recorded'" size="small" :disabled="busy" data-test="set-as-recorded" @click="asRecorded"
              >As recorded</el-button
            >
          </div>
        </PlanFacts>
      </div>
      <div v-else-if="!asked" class="soft intro">
        <p>
          Rather ask the player again, or move one stroke instead of all. Where a set is to sit closer, its strokes are found, each is held
          against the beats, and all tracks are cut and moved at the same moments, so that its microphones stay as they stand to one
          another. Every move is shown first; afterwards every attack is read back. Align arrivals before.
        </p>
      </div>
    </template>
  </div>
</template>

<style scoped>
.several {
  width: 190px;
}
.sections {
  display: grid;
  gap: 4px;
  justify-items: start;
  padding: 2px 0;
}
.plots {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 270px;
  gap: 8px;
}
.buttons {
  display: flex;
  gap: 6px;
  margin: 6px 0 10px;
}
.intro {
  max-width: 640px;
}
@media (max-width: 900px), (max-height: 560px) {
  .plots {
    grid-template-columns: minmax(0, 1fr);
    grid-auto-rows: minmax(240px, auto);
  }
}
</style>
