<script setup lang="ts">
import { computed, watch } from 'vue'
import LanesFold from '../../../lanes/LanesFold.vue'
import { useSurface } from '../../../plot/surface'
import { hertz } from '../../../plot/ticks'
import { useSession } from '../../../session/store'
import { useKeys } from '../../../shared/keys'
import { palette } from '../../../shared/theme'
import { typedNumber, vTyped } from '../../../shared/typed'
import { clock, fixed } from '../../../shared/units'
import { useAsked } from '../asked'
import HeldLine from '../HeldLine.vue'
import { useResults } from '../results'
import TimingPage from '../TimingPage.vue'
import { BOUNDS, freshPlan, nextDrift, planKey, told, type Plan } from './plan'
import { paintDrifts, paintMono } from './plots'
import { useWide } from './useWide'

const store = useSession()
const kept = () => store.desk.state.plans.wide.find((w) => w.track === store.pair.a)
/** The plan is the session's: another window sees it too, and may change it. */
const draft = computed<Plan>(() => kept() ?? freshPlan(store.pair.a))
const { asked, listen, restart, settled } = useAsked<Plan>({
  draft,
  key: planKey,
  kept: () => kept() !== undefined,
  keep: () => store.desk.change({ widen: draft.value }),
  can: () => store.track(store.pair.a) !== undefined,
  again: () => void held.again(),
})
const { held, make, making, busy, trouble } = useWide(() => asked.value)
const view = held.view
const current = computed(() => held.current.value && settled.value)
const name = computed(() => store.track(store.pair.a)?.name ?? '')
watch(() => store.pair.a, restart)

const change = (part: Partial<Plan>) => store.desk.change({ widen: { ...draft.value, ...part } })
function typed(e: globalThis.Event, key: keyof typeof BOUNDS): void {
  const value = typedNumber(e)
  const [least, most] = BOUNDS[key]
  if (value !== null) change({ [key]: Math.max(least, Math.min(most, value)) })
}
const another = () => change(nextDrift(draft.value))

const sound = computed(() => (view.value?.bands.length ?? 0) > 0)
useSurface('drifts', (s) => view.value && paintDrifts(s, palette(), view.value, store.rateHz), [view])
useSurface('mono', (s) => view.value && paintMono(s, palette(), view.value.bands), [view])

const bring = () => current.value && sound.value && !busy.value && !view.value?.fits && void make(draft.value)
const { hearsOriginal, swap } = useResults(() => view.value?.made ?? [])
const toThinnest = () => {
  const at = view.value?.thinnest?.at
  if (at !== undefined) store.transport?.seek(Math.max(0, Math.round(at - store.rateHz)))
}

useKeys('Wide', [
  { key: 'g', label: 'Try the part as a wide pair', run: listen },
  { key: 'j', label: 'Another drift', run: another },
  { key: 'o', label: 'Hear the original / the pair', run: swap },
  { key: 'Enter', label: 'Make it wide', run: bring },
])
</script>

<template>
  <TimingPage title="Wide" :least="1">
    <template #pickers>
      <label for="part">pair of</label>
      <el-select
        id="part"
        :model-value="store.pair.a"
        filterable
        size="small"
        class="pick"
        data-test="part"
        @change="(id: string) => store.choose(id, undefined)"
      >
        <el-option v-for="t in store.inOrder" :key="t.id" :value="t.id" :label="t.name" />
      </el-select>
      <el-button type="primary" size="small" title="G" data-test="listen" @click="listen">Try it</el-button>
      <div class="choice" role="group" aria-label="Copies">
        <button
          v-for="n in [2, 4, 6]"
          :key="n"
          :aria-pressed="draft.copies === n"
          :data-test="`copies-${n}`"
          @click="change({ copies: n })"
        >
          {{ n }} copies
        </button>
      </div>
      <span class="field">
        <label for="apart" title="No copy is ever earlier or later than the part by more">within</label>
        <input
          id="apart"
          v-typed="draft.apart_ms"
          class="typed"
          inputmode="decimal"
          data-test="apart"
          @change="typed($event, 'apart_ms')"
        />
        <span class="soft">ms</span>
      </span>
      <span class="field">
        <label for="cents" title="Nor sharp or flat by more">and</label>
        <input id="cents" v-typed="draft.cents" class="typed" inputmode="decimal" data-test="cents" @change="typed($event, 'cents')" />
        <span class="soft">cents</span>
      </span>
      <el-button size="small" title="J" data-test="another" @click="another">Another drift</el-button>
    </template>
    <LanesFold />
    <HeldLine :held="held" :waiting="!current">
      <p v-if="view" class="sentence" :class="view.fine && sound ? 'clear' : 'undecided'" data-test="wide-sentence">
        {{ told(name, view) }}
      </p>
    </HeldLine>
    <div v-if="view && sound" class="plots">
      <div class="two">
        <figure>
          <figcaption><b>How the copies drift</b></figcaption>
          <canvas ref="drifts" role="img" aria-label="How much later every copy is, along time" data-test="drifts" />
        </figure>
        <figure>
          <figcaption><b>Their sum in mono</b></figcaption>
          <canvas ref="mono" role="img" :aria-label="`Sum in mono by third-octave. ${told(name, view)}`" data-test="mono-sum" />
        </figure>
      </div>
      <aside class="facts" data-test="wide-facts">
        <p v-if="trouble" class="undecided" role="alert">{{ trouble }}</p>
        <p v-if="view.fits && current" class="clear" data-test="made">The pair stands in its place.</p>
        <p v-else-if="busy && making" role="status">{{ making.title }}: {{ Math.round(making.progress * 100) }} %</p>
        <div class="buttons">
          <el-button
            v-if="!(view.fits && current)"
            type="primary"
            size="small"
            title="Enter"
            :disabled="!current || busy"
            data-test="make-wide"
            @click="bring"
            >{{ view.made.length > 0 ? 'Make it anew' : view.fine ? 'Make it wide' : 'Make it wide all the same' }}</el-button
          >
          <el-button v-if="view.made.length > 0" size="small" title="O" data-test="swap" @click="swap">{{
            hearsOriginal ? 'Hear the pair' : 'Hear the original'
          }}</el-button>
        </div>
        <p v-if="view.thinnest">
          Thinnest at
          <button class="plain mono" data-test="thinnest" @click="toThinnest">{{ clock(view.thinnest.at, store.rateHz) }}</button>: for a
          second the band at {{ hertz(view.thinnest.hz) }} Hz is at {{ fixed(view.thinnest.gain_db, 1) }} dB.
        </p>
        <p class="soft">
          Half of the copies stand left, half right, and each drifts by itself: what comes later and later is flat meanwhile. Two voices
          that have nothing to do with one another lose nothing in mono; copies that keep a distance cancel some bands.
        </p>
        <p class="soft">The part stays beneath the pair, muted.</p>
      </aside>
    </div>
    <p v-else-if="!asked" class="soft intro">
      Of one mono part a wide pair is made: copies that drift slowly and within bounds in time and pitch, placed left and right. What their
      sum in mono loses is told band by band before anything is made.
    </p>
  </TimingPage>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-rows: minmax(0, 1fr) minmax(0, 1fr);
  gap: 8px;
  min-height: 0;
}
@media (max-width: 900px), (max-height: 560px) {
  .two {
    grid-template-rows: minmax(240px, auto) minmax(240px, auto);
  }
}
</style>
