<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import LanesPanel from '../../lanes/LanesPanel.vue'
import { useLaneActions } from '../../lanes/useLaneActions'
import { ownFrame } from '../../lanes/values'
import { panBy, roomBefore, showAll, showHit, stretch, zoomAt } from '../../lanes/viewport'
import { useSurface } from '../../plot/surface'
import { useAddress } from '../../session/address'
import { useSession } from '../../session/store'
import { useKeys } from '../../shared/keys'
import { tellTrouble } from '../../shared/notice'
import { palette } from '../../shared/theme'
import { fixed, samples, span, type Unit } from '../../shared/units'
import AgreementPlot from './AgreementPlot.vue'
import PairFacts from './PairFacts.vue'
import { paintPhase, paintSum } from '../../plot/response'
import { usePair } from './usePair'

const store = useSession()
const route = useRoute()
const { view, sum, trouble, running, reset } = usePair()
const actions = useLaneActions()
const flip = () => void actions.flip(store.pair.b)
const address = useAddress()
const all = ref(address.read('lanes') === 'all')
watch(all, (on) => address.write({ lanes: on ? 'all' : undefined }))
/** The address names a place: the first measurement leaves it. */
let asked = address.read('at') !== undefined && address.read('hit') === undefined
const hit = ref(-1)
/** Lag that is tried on the plot and not decided yet; none: what the track carries. */
const tried = ref<number | null>(null)
const phaseTaken = ref(true)

const a = computed(() => store.track(store.pair.a))
const b = computed(() => store.track(store.pair.b))
const m = computed(() => view.value?.measurement ?? null)
const offsetA = computed(() => a.value?.correction.offset_frames ?? 0)
const offsetB = computed(() => b.value?.correction.offset_frames ?? 0)
/** The lag the carried offsets take out. */
const carriedLag = computed(() => offsetA.value - offsetB.value)
const lagShown = computed(() => tried.value ?? carriedLag.value)

const laneHeight = computed(() => (all.value ? Math.max(28, Math.min(76, 250 / Math.max(store.tracks.length, 1))) : 76))
const triedLane = computed(() => (tried.value === null ? null : { id: store.pair.b, offset: offsetA.value - tried.value }))
/** Hits where they sound now: with the anchor's own offset. */
const hits = computed(() => (m.value?.hit_frames ?? []).map((h) => h + offsetA.value))

const sentence = computed(() => {
  const v = view.value
  if (!v || !a.value || !b.value) return ''
  const lag = v.lag
  if (!lag) return `${b.value.name} against ${a.value.name}: undecided – ${v.measurement.reason}.`
  const amount = (u: Unit) => span(Math.abs(lag.samples), u, store.measure)
  const when = Math.abs(lag.samples) < 0.005 ? 'arrives together' : lag.samples > 0 ? 'arrives later by' : 'arrives earlier by'
  const value = Math.abs(lag.samples) < 0.005 ? '' : ` ${amount('ms')} (${amount('samples')}, ${amount('distance')})`
  const way = v.measurement.sign < 0 ? 'inverted' : 'upright'
  const sure = `${way} – ${v.measurement.verdict}, ${v.measurement.hits} hits`
  const left = lag.samples - carriedLag.value
  // What the offsets take out is no delay any more: what is left of it is said, and what there was.
  if (carriedLag.value !== 0 && lag.samples !== 0) {
    const out = span(carriedLag.value, 'ms', store.measure)
    const rest =
      Math.abs(left) < 0.06 ? 'nothing is left' : `${span(Math.abs(left), 'ms', store.measure)} ${left > 0 ? 'later' : 'earlier'} are left`
    return `${b.value.name} – taken out: ${out} (${samples(Math.round(carriedLag.value * 100) / 100)} samples), ${rest}; recorded ${sure}`
  }
  return `${b.value.name} ${when}${value}, ${sure}`
})

watch(
  () => [store.pair.a, store.pair.b],
  () => {
    tried.value = null
    hit.value = -1
    store.hitShown = null
    store.listen()
  },
)
watch(m, (now, before) => {
  if (!now || before) return
  // Whoever came from a cell of the table has a hit already.
  if (route.query.hit !== undefined) goToFrame(Number(route.query.hit))
  else if (!asked && now.hit_frames.length > 0) goToHit(now.strongest_hit ?? 0)
  asked = false
})

/** The measured hit within 20 ms of a frame, or the frame itself. */
function goToFrame(frame: number): void {
  const near = hits.value.findIndex((h) => Math.abs(h - frame) < store.rateHz * 0.02)
  if (near >= 0) return goToHit(near)
  hit.value = -1
  showAttack(frame, Number(route.query.lag ?? 0))
}

/** Hits drawn or removed by hand belong to the anchor of the pair; the check follows. */
async function markHit(kind: 'added' | 'removed'): Promise<void> {
  const t = a.value
  const shown = hit.value >= 0 ? hits.value[hit.value] : undefined
  const at = kind === 'removed' && shown !== undefined ? shown : store.heard.frame
  if (!t) return
  const own = ownFrame(t.pieces, at)
  if (own === null) return tellTrouble(`Nothing of ${t.name} plays here: a hit is drawn where it sounds.`)
  const frame = t.start_frame + own
  const near = (x: number) => Math.abs(x - frame) < store.rateHz * 0.02
  const other = kind === 'added' ? 'removed' : 'added'
  const kept = { added: [...t.hits.added], removed: [...t.hits.removed] }
  kept[other] = kept[other].filter((x) => !near(x))
  if (!kept[kind].some(near)) kept[kind].push(frame)
  const what = kind === 'added' ? 'hit drawn' : 'hit removed'
  await store.decide(`${t.name}: ${what} at ${fixed(frame / store.rateHz, 3)} s`, [{ track_id: t.id, after: { hits: kept } }])
}

/** Half a period of the lowest tone before the attack, always; after it as much as the lag needs. */
function showAttack(frame: number, lag: number): void {
  showHit(
    store.viewport,
    frame + Math.min(0, lag),
    roomBefore(m.value?.lowest_hz, store.rateHz),
    Math.abs(m.value?.lag_frames ?? lag) * 1.8,
  )
  store.hitShown = frame
}

function goToHit(index: number): void {
  const frame = hits.value[index]
  if (frame === undefined) return
  hit.value = index
  // The earlier of the two gets room before its attack.
  showAttack(frame, m.value?.lag_frames ?? 0)
}

function stepHit(by: number): void {
  const count = hits.value.length
  if (count === 0) return
  if (hit.value >= 0) return goToHit((hit.value + by + count) % count)
  const next = hits.value.findIndex((h) => h > store.viewport.start)
  goToHit(Math.max(next, 0))
}

async function setOffset(offset: number, invert: boolean, label: string): Promise<void> {
  if (!b.value) return
  const rounded = Math.round(offset * 100) / 100
  if (rounded === offsetB.value && invert === b.value.correction.invert) {
    tried.value = null
    return
  }
  if (await store.decide(label, [{ track_id: b.value.id, after: { offset_frames: rounded, invert } }])) tried.value = null
}

/** Takes the measured lag out and sets the proposed polarity; or what is tried on the plot. */
function apply(): void {
  if (!b.value || !m.value) return
  const inverted = view.value?.propose_invert ?? m.value.propose_invert
  const turned = (a.value?.correction.invert ?? false) !== inverted
  if (tried.value !== null) {
    void setOffset(
      offsetA.value - tried.value,
      b.value.correction.invert,
      `${b.value.name}: lag of ${samples(Math.round(tried.value * 100) / 100)} samples taken out by hand`,
    )
  } else if (m.value.lag_frames === null || m.value.lag_frames === undefined) {
    tellTrouble('Nothing is proposed: the lag is undecided. Try a lag on the plot, or listen and nudge.')
  } else {
    const offset = offsetA.value + m.value.propose_offset_frames
    void setOffset(
      offset,
      turned,
      `${b.value.name} aligned to ${a.value?.name}: ${samples(m.value.propose_offset_frames)} samples${inverted ? ', inverted' : ''}`,
    )
  }
}

function nudge(frames: number): void {
  const t = b.value
  if (!t) return
  tried.value = null
  store.nudge(
    t.id,
    frames,
    (total) => `${t.name} nudged by ${samples(total)} ${Math.abs(total) === 1 ? 'sample' : 'samples'}${actions.along(t.id)}`,
  )
}

function swap(): void {
  store.choose(store.pair.b, store.pair.a)
}

function select(id: string): void {
  if (id !== store.pair.a && id !== store.pair.b) store.choose(undefined, id)
}

function stepTrack(by: number): void {
  const others = store.tracks.filter((t) => t.id !== store.pair.a)
  const at = others.findIndex((t) => t.id === store.pair.b)
  const next = others[(at + by + others.length) % others.length]
  if (next) store.choose(undefined, next.id)
}

useSurface('phaseCanvas', (s) => m.value && paintPhase(s, palette(), m.value, phaseTaken.value ? 'taken' : 'whole'), [m, phaseTaken])
useSurface('sumCanvas', (s) => sum.value && paintSum(s, palette(), sum.value.bands), [sum])

const zoom = (factor: number) => zoomAt(store.viewport, store.viewport.width / 2, factor)
useKeys('Align', [
  { key: 'Enter', label: 'Apply what is proposed or tried', run: apply },
  { key: '[', label: 'Nudge 1 sample earlier', run: () => nudge(-1) },
  { key: ']', label: 'Nudge 1 sample later', run: () => nudge(1) },
  { key: '{', label: 'Nudge 10 samples earlier', run: () => nudge(-10) },
  { key: '}', label: 'Nudge 10 samples later', run: () => nudge(10) },
  { key: 'f', label: 'Flip polarity', run: flip },
  { key: 'n', label: 'Next hit', run: () => stepHit(1) },
  { key: 'b', label: 'Hit before', run: () => stepHit(-1) },
  { key: 'd', label: 'Draw a hit of the anchor at the cursor', run: () => void markHit('added') },
  { key: 'u', label: 'Leave the hit shown out of the check', run: () => void markHit('removed') },
  { key: 't', label: 'Next track against the anchor', run: () => stepTrack(1) },
  { key: 'r', label: 'Track before', run: () => stepTrack(-1) },
  { key: 'x', label: 'Exchange the two', run: swap },
  { key: 'a', label: 'All tracks / this pair in the lanes', run: () => (all.value = !all.value) },
])
useKeys('Lanes', [
  { key: 'ArrowLeft', label: 'Pan left', run: () => panBy(store.viewport, -80) },
  { key: 'ArrowRight', label: 'Pan right', run: () => panBy(store.viewport, 80) },
  { key: 'ArrowUp', label: 'Zoom in', run: () => zoom(0.6) },
  { key: 'ArrowDown', label: 'Zoom out', run: () => zoom(1 / 0.6) },
  { key: '+', label: 'Taller waveforms', run: () => stretch(store.viewport, 1.5) },
  { key: '-', label: 'Lower waveforms', run: () => stretch(store.viewport, 1 / 1.5) },
  { key: 'Home', label: 'Whole session', run: () => showAll(store.viewport) },
  { key: 'Escape', label: 'Give up the lag that is tried', run: () => (tried.value = null) },
])
</script>

<template>
  <div class="align">
    <div v-if="store.tracks.length < 2" class="view">
      <h1>Align</h1>
      <p>
        Two tracks are needed. <router-link :to="{ name: 'recordings', params: { session: store.id } }">Bring in recordings</router-link>.
      </p>
    </div>
    <template v-else>
      <div class="pickers">
        <el-select
          :model-value="store.pair.b"
          filterable
          size="small"
          class="track"
          aria-label="Track that is moved"
          data-test="track-b"
          @update:model-value="store.choose(undefined, $event)"
        >
          <el-option v-for="t in store.tracks.filter((x) => x.id !== store.pair.a)" :key="t.id" :value="t.id" :label="t.name" />
        </el-select>
        <span>against</span>
        <el-select
          :model-value="store.pair.a"
          filterable
          size="small"
          class="track"
          aria-label="Track that stays"
          data-test="track-a"
          @update:model-value="store.choose($event, undefined)"
        >
          <el-option v-for="t in store.tracks.filter((x) => x.id !== store.pair.b)" :key="t.id" :value="t.id" :label="t.name" />
        </el-select>
        <button class="plain" title="Exchange the two (X)" @click="swap">⇄</button>
        <span class="fill" />
        <span class="soft">{{ hits.length > 0 ? `hit ${hit + 1} of ${hits.length}` : '' }}</span>
        <button class="plain" title="Hit before (B)" :disabled="hits.length === 0" @click="stepHit(-1)">◂ hit</button>
        <button class="plain" title="Next hit (N)" :disabled="hits.length === 0" data-test="next-hit" @click="stepHit(1)">hit ▸</button>
        <button
          class="plain"
          title="Draw a hit of the anchor at the cursor (D); the check follows"
          data-test="draw-hit"
          @click="markHit('added')"
        >
          + hit
        </button>
        <button
          class="plain"
          title="Leave the hit shown, or the one at the cursor, out of the check (U)"
          data-test="remove-hit"
          @click="markHit('removed')"
        >
          − hit
        </button>
        <button class="plain" title="Zoom out (↓)" @click="zoom(1 / 0.6)">−</button>
        <button class="plain" title="Zoom in (↑)" @click="zoom(0.6)">+</button>
        <button class="plain" title="Whole session (Home)" @click="showAll(store.viewport)">whole</button>
        <div class="choice">
          <button :aria-pressed="!all" @click="all = false">Pair</button>
          <button :aria-pressed="all" data-test="all-lanes" @click="all = true">All</button>
        </div>
      </div>
      <div class="lanes">
        <LanesPanel :key="store.id" :all="all" :usual="laneHeight" :hits="hits" :tried="triedLane" @select="select" />
      </div>
      <p class="sentence" :class="m?.verdict" data-test="sentence" :data-verdict="m?.verdict" role="status">
        <template v-if="sentence"
          ><b :class="m && m.sign < 0 ? 'caution' : ''">{{ m && m.sign < 0 ? '▼' : m && m.sign > 0 ? '▲' : '?' }}</b>
          {{ sentence }}</template
        >
        <template v-else-if="trouble">{{ trouble }} <button class="plain" @click="reset">Measure again</button></template>
        <template v-else>{{ running?.doing || 'Measuring' }} …</template>
      </p>
      <div class="plots">
        <figure class="wide">
          <figcaption><b>How late, and which way up?</b> <span class="soft">drag, or focus and ← →, to try a lag</span></figcaption>
          <AgreementPlot
            v-if="m && m.curve.values.length > 0"
            :measurement="m"
            :lag="lagShown"
            :unit="store.unit"
            :measure="store.measure"
            @try-lag="tried = $event"
          />
        </figure>
        <figure>
          <figcaption>
            <b>One delay, or does phase turn?</b>
            <button class="plain small" @click="phaseTaken = !phaseTaken">{{ phaseTaken ? 'show whole' : 'take the lag out' }}</button>
          </figcaption>
          <canvas ref="phaseCanvas" role="img" aria-label="Phase against frequency" />
        </figure>
        <figure>
          <figcaption><b>What is lost in the sum?</b></figcaption>
          <canvas ref="sumCanvas" role="img" aria-label="Sum gain by third-octave" />
        </figure>
        <PairFacts
          :view="view"
          :track="b"
          :carried-lag="carriedLag"
          :tried="tried !== null"
          :null-depth-db="sum?.nullDepthDb ?? null"
          @apply="apply"
          @nudge="nudge"
        />
      </div>
    </template>
  </div>
</template>

<style scoped>
.align {
  height: 100%;
  display: flex;
  flex-direction: column;
  gap: 8px;
  padding: 8px 12px;
  box-sizing: border-box;
}
.pickers {
  display: flex;
  align-items: center;
  gap: 8px;
  white-space: nowrap;
}
.track {
  width: 190px;
}
.fill {
  flex: 1;
}
.lanes {
  flex: 0 1 auto;
  min-height: 116px;
  max-height: 40%;
  display: flex;
  flex-direction: column;
}
.plots {
  flex: 1;
  min-height: 200px;
  display: grid;
  grid-template: 1fr 1fr / minmax(0, 1.15fr) minmax(0, 1fr) 270px;
  gap: 8px;
}
figure.wide {
  grid-row: span 2;
}
.small {
  font-size: 12px;
  padding: 0 5px;
}
@media (max-width: 900px), (max-height: 560px) {
  .align {
    height: auto;
  }
  .lanes {
    max-height: none;
  }
  .plots {
    grid-template: none;
    grid-auto-rows: 230px;
    grid-template-columns: minmax(0, 1fr);
  }
  .plots > :deep(aside) {
    grid-row: auto;
    grid-column: auto;
  }
  .plots > :deep(aside),
  figure.wide {
    grid-row: span 2;
  }
}
</style>
