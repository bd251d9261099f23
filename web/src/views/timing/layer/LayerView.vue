<script setup lang="ts">
import { computed, ref, useTemplateRef, watch } from 'vue'
import LanesFold from '../../../lanes/LanesFold.vue'
import type { LaneStroke } from '../../../lanes/strokes'
import { placed } from '../../../lanes/values'
import { roomBefore, showHit } from '../../../lanes/viewport'
import { paintSum } from '../../../plot/response'
import { useSurface } from '../../../plot/surface'
import { useSession } from '../../../session/store'
import { useKeys } from '../../../shared/keys'
import { palette } from '../../../shared/theme'
import { clock, fixed } from '../../../shared/units'
import HearPlan from '../HearPlan.vue'
import { useAsked } from '../asked'
import PairPickers from '../PairPickers.vue'
import ProofList from '../ProofList.vue'
import StrokesPlot from '../StrokesPlot.vue'
import { sureness } from '../sureness'
import { carriedFrames } from '../onLanes'
import HeldLine from '../HeldLine.vue'
import TimingPage from '../TimingPage.vue'
import HitCard from './HitCard.vue'
import HitOverlay from './HitOverlay.vue'
import { asRecorded, freshPlan, onto, planKey, shownHits, withOwn, type Plan } from './plan'
import { useLayer } from './useLayer'

const store = useSession()
const source = computed(() => store.track(store.pair.a))
const layer = computed(() => store.track(store.pair.b))
const kept = () => store.desk.state.plans.layers.find((l) => l.source === store.pair.a && l.layer === store.pair.b)
/** The plan is the session's: another window sees it too, and may change it. */
const draft = computed<Plan>(() => kept() ?? freshPlan(store.pair.a, store.pair.b))
const { asked, listen, restart, settled } = useAsked<Plan>({
  draft,
  key: planKey,
  kept: () => kept() !== undefined,
  keep: () => store.desk.change({ layer: draft.value }),
  can: () => source.value !== undefined && layer.value !== undefined && source.value !== layer.value,
  again: () => void held.again(),
})
const { held, take, busy } = useLayer(() => asked.value)
const view = held.view
watch(
  () => [store.pair.a, store.pair.b],
  () => {
    restart()
    chosen.value = null
  },
)

const current = computed(() => held.current.value && settled.value)
const later = computed(() => carriedFrames(layer.value))
const hits = computed(() => view.value?.hits ?? [])
const shown = computed(() => shownHits(hits.value, store.pair.b, later.value, view.value?.late ?? 0))
const doubled = computed(() => hits.value.filter((h) => h.source !== null && h.source !== undefined))
const alone = computed(() => hits.value.filter((h) => h.source === null || h.source === undefined))
const carried = computed(() => view.value?.carried ?? 'recorded')
const turned = computed(() => (view.value?.invert ?? false) && view.value?.polarity !== 'undecided')
const anything = computed(() => hits.value.some((h) => h.by !== 0) || turned.value)

const chosen = ref<number | null>(null)
// One is seen at once: the first that doubles a hit.
watch(hits, (all) => {
  if (chosen.value === null || chosen.value >= all.length) {
    const first = all.findIndex((h) => h.source !== null && h.source !== undefined)
    chosen.value = first < 0 ? null : first
  }
})
const only = ref('')
const plot = useTemplateRef('plot')
const looked = computed(() => (chosen.value === null ? null : (hits.value[chosen.value] ?? null)))
const move = (by: number | null) => looked.value && store.desk.change({ layer: withOwn(draft.value, looked.value.at, by) })
const picked = (on: boolean) => store.desk.change({ layer: { ...draft.value, picked_only: on } })
const set = () => void take(draft.value)
const back = () => void take(asRecorded(draft.value))

function step(by: 1 | -1): void {
  plot.value?.step(by)
  const hit = looked.value
  if (!hit) return
  const late = hit.late ?? 0
  showHit(store.viewport, hit.at + later.value - Math.max(0, late), roomBefore(null, store.rateHz), Math.abs(late) * 1.8)
  plot.value?.go()
}
const go = (frame: number) => store.transport?.seek(Math.max(0, Math.round(frame - store.rateHz / 2)))

const sentence = computed(() => {
  const [v, s, l] = [view.value, source.value, layer.value]
  if (!v || !s || !l) return ''
  if (v.late === null || v.late === undefined) return `No hit of ${l.name} doubles one of ${s.name}.`
  const late = (1000 * v.late) / store.rateHz
  const when = Math.abs(late) < 0.005 ? 'together with' : `${fixed(Math.abs(late), 2)} ms ${late < 0 ? 'before' : 'after'}`
  const way =
    v.polarity === 'undecided' ? 'they share no lows that could tell the polarity' : `${v.invert ? 'inverted' : 'upright'} – ${v.polarity}`
  const solid = doubled.value.filter((h) => h.verdict === 'solid').length
  return `${l.name} comes ${when} ${s.name} in the median, ${way}; ${doubled.value.length} hits, ${solid} of them solid.`
})
const onLanes = computed<LaneStroke[]>(() => {
  const [s, l] = [source.value, layer.value]
  if (!s || !l) return []
  const heardAt = [s, l].map((t) => placed(t.pieces))
  const own = hits.value.map((h) => {
    const aligned = h.at + carriedFrames(l)
    const kind = h.source === null || h.source === undefined ? ('left' as const) : ('found' as const)
    return { track: l.id, frame: heardAt[1]!(h.at - l.start_frame) ?? aligned, to: aligned + h.by, kind }
  })
  const missed = (view.value?.missed ?? []).map((at) => {
    const frame = heardAt[0]!(at - s.start_frame) ?? at + carriedFrames(s)
    return { track: s.id, frame, to: frame, kind: 'left' as const }
  })
  return [...own, ...missed]
})
useSurface('sum', (s) => view.value && view.value.sum.length > 0 && paintSum(s, palette(), view.value.sum), [view])

useKeys('Layer', [
  { key: 'g', label: 'Hold the layer against its source', run: listen },
  { key: 'n', label: 'Next hit', run: () => step(1) },
  { key: 'b', label: 'Hit before', run: () => step(-1) },
  { key: 'a', label: 'Leave the hit as recorded', run: () => void move(0) },
  {
    key: 'x',
    label: 'Set the hit onto its source',
    run: () => looked.value && void move(draft.value.picked_only ? onto(looked.value) : null),
  },
  { key: 'Enter', label: 'Set the layer onto its source', run: () => current.value && anything.value && set() },
])
</script>

<template>
  <TimingPage title="Layer" :least="2">
    <template #pickers>
      <PairPickers :first="{ of: 'b', label: 'layer', name: 'layer' }" :second="{ of: 'a', label: 'onto', name: 'source' }" />
      <el-button type="primary" size="small" title="G" data-test="listen" @click="listen">Hold them together</el-button>
      <div class="choice" role="group" aria-label="Which hits are set">
        <button :aria-pressed="!draft.picked_only" data-test="all-hits" @click="picked(false)">All hits</button>
        <button :aria-pressed="draft.picked_only" data-test="picked-hits" @click="picked(true)">Only picked ones</button>
      </div>
    </template>
    <LanesFold :strokes="onLanes" />
    <HeldLine :held="held" :waiting="!current">
      <p v-if="view" class="sentence" :class="sureness(doubled)" data-test="layer-sentence">{{ sentence }}</p>
    </HeldLine>
    <div v-if="view && hits.length > 0" class="plots">
      <StrokesPlot ref="plot" v-model="chosen" v-model:only="only" class="wide" :shown="shown" title="Hit by hit" />
      <HitOverlay v-if="source && layer" :source="source" :layer="layer" :hit="looked" :invert="turned" />
      <figure>
        <figcaption><b>What the sum keeps</b></figcaption>
        <canvas ref="sum" role="img" aria-label="Sum of source and layer by third-octave, before and after" data-test="layer-sum" />
      </figure>
      <aside class="facts" data-test="layer-facts">
        <HitCard v-if="looked" :hit="looked" :picked-only="draft.picked_only ?? false" @move="move" />
        <h2>What is done</h2>
        <dl>
          <dt>hits</dt>
          <dd class="mono" data-test="doubled">{{ doubled.length }}</dd>
          <dt>set</dt>
          <dd class="mono" data-test="moved">{{ hits.filter((h) => h.by !== 0).length }}</dd>
          <dt title="No room for a join before them: they move with what sounds before">ride along</dt>
          <dd class="mono">{{ hits.filter((h) => h.rides).length }}</dd>
          <dt>polarity</dt>
          <dd>{{ view.polarity === 'undecided' ? 'undecided' : turned ? 'inverted' : 'upright' }}</dd>
        </dl>
        <p v-if="carried === 'moved' && current" class="clear" data-test="carried">The layer is set like this.</p>
        <p v-else-if="carried === 'other'" class="soft" data-test="carried">The layer is cut by another plan now.</p>
        <div class="buttons">
          <el-button
            v-if="carried !== 'moved' || !current"
            type="primary"
            size="small"
            title="Enter"
            :disabled="busy || !current || !anything"
            data-test="set-layer"
            @click="set"
            >Set onto its source</el-button
          >
          <HearPlan :plan="{ layer: draft }" :ready="current && anything" :carried="carried === 'moved' && current" />
          <el-button v-if="carried !== 'recorded'" size="small" :disabled="busy" data-test="layer-as-recorded" @click="back"
            >As recorded</el-button
          >
        </div>
        <ProofList :proof="view.proof" :current="current" />
        <template v-if="view.missed.length + alone.length > 0">
          <h2>Not doubled</h2>
          <ul data-test="not-doubled">
            <li v-for="frame in view.missed" :key="`m${frame}`" data-kind="missed">
              <button class="plain mono" @click="go(frame)">{{ clock(frame, store.rateHz) }}</button> missed by the layer
            </li>
            <li v-for="h in alone" :key="`a${h.at}`" data-kind="alone">
              <button class="plain mono" @click="go(h.at)">{{ clock(h.at, store.rateHz) }}</button> in the layer only
            </li>
          </ul>
        </template>
      </aside>
    </div>
    <p v-else-if="!asked" class="soft intro">
      A replaced sample, a clap over a snare, the print of a trigger: it doubles another track hit by hit, and each hit has a lag of its
      own. Every hit is held against its source first; then all of them, or those you pick, are set onto it.
    </p>
  </TimingPage>
</template>

<style scoped>
.plots {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template: minmax(0, 1fr) minmax(0, 1fr) / minmax(0, 1fr) minmax(0, 1fr) 270px;
  gap: 8px;
}
.wide {
  grid-column: span 2;
}
.facts {
  grid-area: 1 / 3 / 3 / 4;
}
ul {
  list-style: none;
  margin: 4px 0 8px;
  padding: 0;
  font-size: 13px;
}
@media (max-width: 900px), (max-height: 560px) {
  .plots {
    grid-template: none;
    grid-template-columns: minmax(0, 1fr);
    grid-auto-rows: minmax(240px, auto);
  }
  .wide,
  .facts {
    grid-area: auto;
  }
}
</style>
