<script setup lang="ts">
import { useQuery } from '@tanstack/vue-query'
import { computed, ref } from 'vue'
import { ask, client } from '../../../api/client'
import LanesFold from '../../../lanes/LanesFold.vue'
import type { LaneStroke } from '../../../lanes/strokes'
import { useSession } from '../../../session/store'
import { barsBeats } from '../../../shared/beats'
import { useKeys } from '../../../shared/keys'
import { tellTrouble } from '../../../shared/notice'
import { clock } from '../../../shared/units'
import { useTaking } from '../asked'
import HearPlan from '../HearPlan.vue'
import SeveralTracks from '../SeveralTracks.vue'
import TimingPage from '../TimingPage.vue'
import JoinsPlot from './JoinsPlot.vue'
import PassageCard from './PassageCard.vue'
import { again, ofKnown, ofLoop, placeOf, SHORTEST_S, snapped, type Passage, type Plan, type Snap } from './plan'

const SNAPS: { value: Snap; label: string }[] = [
  { value: 'bar', label: 'on bars' },
  { value: 'beat', label: 'on beats' },
  { value: 'none', label: 'anywhere' },
]

const store = useSession()
const known = (id: string) => store.track(id) !== undefined
/** The plan is the session's: another window sees it too, and may change it. */
const draft = computed<Plan>(() => ofKnown(store.desk.state.plans.passages ?? { passages: [] }, known))
const passages = computed(() => draft.value.passages ?? [])
const change = (all: Passage[]) => store.desk.change({ passages: { passages: all } })

const chosen = ref(0)
const looked = computed<Passage | undefined>(() => passages.value[Math.min(chosen.value, passages.value.length - 1)])
const place = computed(() => passages.value.indexOf(looked.value!))
const namesOf = (p: Passage) => p.tracks.map((id) => store.track(id)?.name ?? '').join(', ')
const tracksOf = (p: Passage) => p.tracks.map((id) => store.track(id)).filter((t) => t !== undefined)
const snap = ref<Snap>('bar')

/** The tracks that the next passage is of; what is linked comes along. */
const picked = ref<string[]>([])
const tracks = computed(() => {
  const some = picked.value.filter(known)
  return some.length > 0 ? some : [store.pair.b, store.pair.a].filter(known).slice(0, 1)
})
function ofTheLoop(): void {
  const loop = store.desk.state.range
  if (!loop) return tellTrouble('Mark the passage with the loop first: , begins it where the sound stands, . ends it.')
  if (loop.to - loop.from < SHORTEST_S * store.rateHz) return tellTrouble('A passage lasts 50 ms at least.')
  const made = ofLoop(tracks.value, [loop.from, loop.to], store.rateHz)
  // Right after itself, until somebody says where.
  change([...passages.value, again(made, store.measure.beats, snap.value)])
  chosen.value = passages.value.length - 1
}
const put = (p: Passage) => change(passages.value.map((was, n) => (n === place.value ? p : was)))
/** On the bar or beat beside where the sound stands. */
const putHere = () => looked.value && put({ ...looked.value, at: snapped(store.heard.frame, store.measure.beats, snap.value) })
function remove(): void {
  change(passages.value.filter((_, n) => n !== place.value))
  chosen.value = Math.max(0, place.value - 1)
}
function onceMore(): void {
  if (!looked.value) return
  change([...passages.value, again(looked.value, store.measure.beats, snap.value)])
  chosen.value = passages.value.length - 1
}
function step(by: 1 | -1): void {
  if (passages.value.length === 0) return
  chosen.value = (place.value + by + passages.value.length) % passages.value.length
  hear(passages.value[chosen.value]!)
}
/** To half a second before it. */
const hear = (p: Passage) => store.transport?.seek(Math.max(0, placeOf(p, 'from') - Math.round(store.rateHz / 2)))

const carriedAny = computed(() => store.tracks.some((t) => t.passages.length > 0))
const path = () => ({ session: store.id })
/** What the server says of what is set: asked again whenever the session moves. */
const told = useQuery({
  queryKey: computed(() => [store.id, 'passages', draft.value, store.detail?.session.revision]),
  queryFn: ({ signal }) =>
    ask(client.POST('/api/sessions/{session}/passages/carried', { params: { path: path() }, body: draft.value, signal })),
  enabled: () => store.id !== '' && (passages.value.length > 0 || carriedAny.value),
  placeholderData: (before) => before,
})
const taken = computed(() => told.data.value?.carried === true && !told.isPlaceholderData.value)
const trouble = computed(() => told.data.value?.trouble ?? '')
const { take, busy } = useTaking((plan: Plan) =>
  ask(client.POST('/api/sessions/{session}/passages', { params: { path: path() }, body: plan })),
)
const onLanes = computed<LaneStroke[]>(() =>
  passages.value.flatMap((p) => p.tracks.map((track) => ({ track, frame: p.at, to: p.at, kind: 'drawn' as const }))),
)

useKeys('Passages', [
  { key: '=', label: 'The loop is a passage', run: ofTheLoop },
  { key: 'n', label: 'Next passage', run: () => step(1) },
  { key: 'b', label: 'Passage before', run: () => step(-1) },
  { key: 'p', label: 'The passage goes where the sound stands', run: putHere },
  { key: 'd', label: 'Once more after it', run: onceMore },
  { key: 'x', label: 'Take the passage out', run: () => looked.value && remove() },
  { key: 'Enter', label: 'Place the passages', run: () => !taken.value && trouble.value === '' && take(draft.value) },
])
</script>

<template>
  <TimingPage title="Passages" :least="1">
    <template #pickers>
      <label for="passage-of">passage of</label>
      <SeveralTracks
        id="passage-of"
        :model-value="tracks"
        class="several"
        data-test="passage-of"
        @update:model-value="(ids: string[]) => (picked = ids)"
      />
      <el-button size="small" title="=" data-test="loop-is-one" @click="ofTheLoop">The loop is a passage</el-button>
      <div class="choice" role="group" aria-label="Passages begin">
        <button v-for="s in SNAPS" :key="s.value" :aria-pressed="snap === s.value" :data-test="`snap-${s.value}`" @click="snap = s.value">
          {{ s.label }}
        </button>
      </div>
    </template>
    <LanesFold :strokes="onLanes" />
    <p v-if="trouble" class="sentence undecided" data-test="passages-trouble">{{ trouble }}</p>
    <div v-if="looked" class="plots">
      <JoinsPlot
        :passage="looked"
        :tracks="tracksOf(looked)"
        :snap="snap"
        @change="put"
        @go="(frame: number) => store.transport?.seek(Math.max(0, frame))"
      />
      <aside class="facts">
        <p v-if="taken" class="clear" data-test="carried">The tracks play like this.</p>
        <div v-else class="buttons">
          <el-button type="primary" size="small" title="Enter" :disabled="busy || trouble !== ''" data-test="place" @click="take(draft)">{{
            passages.length === 1 ? 'Place it' : 'Place them'
          }}</el-button>
          <HearPlan :plan="{ passages: draft }" :ready="trouble === ''" :carried="taken" />
        </div>
        <PassageCard
          :passage="looked"
          :names="namesOf(looked)"
          @change="put"
          @here="putHere"
          @remove="remove"
          @again="onceMore"
          @hear="(frame: number) => store.transport?.seek(Math.max(0, frame - store.rateHz / 2))"
        />
        <h2 title="N and B">Passages</h2>
        <ol data-test="passages">
          <li v-for="(p, n) in passages" :key="n" :class="{ chosen: n === place }">
            <button class="plain mono" :aria-pressed="n === place" @click="((chosen = n), hear(p))">
              {{ barsBeats(p.at, store.measure.beats, 1) }}
            </button>
            {{ namesOf(p) }}, {{ p.moved ? 'moved' : 'again' }} from {{ clock(p.range[0]!, store.rateHz) }}
          </li>
        </ol>
        <p class="soft">
          Blue: the passage; sand: what is heard there without it. Its edges are dragged, or moved by the arrow keys; what is before and
          after it in the recording stays at hand.
        </p>
      </aside>
    </div>
    <template v-else>
      <p v-if="carriedAny" class="buttons">
        <el-button type="primary" size="small" :disabled="busy" data-test="place-none" @click="take(draft)">Play as recorded</el-button>
        <span class="soft">Passages are placed, though none is set here.</span>
      </p>
      <p class="soft intro">
        A passage is heard again elsewhere, or there instead of where it was played: mark it with the loop, from where it begins as music.
        It begins on a bar, with as much before and after it as you like, and fades that you drag. Nothing of the recording is changed.
      </p>
    </template>
  </TimingPage>
</template>

<style scoped>
.several {
  width: 220px;
}
ol {
  margin: 4px 0 8px;
  padding: 0 0 0 20px;
  font-size: 13px;
}
.chosen {
  font-weight: 600;
}
</style>
