<script setup lang="ts">
import { computed } from 'vue'
import { useSession } from '../../session/store'
import { clock, fixed } from '../../shared/units'
import ProofList from './ProofList.vue'
import { offMs, type Shown } from './strokes'
import type { TimingView } from './useTiming'

const props = defineProps<{ view: TimingView; shown: Shown[]; current: boolean }>()
const emit = defineEmits<{ choose: [index: number] }>()
const store = useSession()

const moved = computed(() => props.shown.filter((s) => s.by !== 0))
const proof = computed(() => props.view.proof)
const failed = computed(() => [...proof.value.lost, ...proof.value.doubled, ...proof.value.clicks].sort((a, b) => a - b))
const names = (ids: string[]) => ids.map((id) => store.track(id)?.name ?? '').join(', ')

/** What somebody has to look at: what is too far off, what could not be parted, and what the proof found. */
const listed = computed(() => {
  const far = props.shown.filter((s) => s.left)
  const rides = props.shown.filter((s) => !s.left && s.event.rides)
  const late = (s: Shown) => {
    const ms = offMs(s, store.rateHz)
    return `${fixed(Math.abs(ms), 1)} ms ${ms < 0 ? 'early' : 'late'}`
  }
  return [
    ...failed.value.map((frame) => ({ frame, what: 'listen here: the proof failed', caution: true })),
    ...far.map((s) => ({ frame: s.event.at, what: `${names(s.event.tracks)}: ${late(s)}, left`, caution: false })),
    ...rides.map((s) => ({ frame: s.event.at, what: `${names(s.event.tracks)}: goes with what sounds before`, caution: false })),
  ]
})
/** To what is listed, with the stroke nearest to it chosen: there it can be left as played. */
function go(frame: number): void {
  store.transport?.seek(Math.max(0, Math.round(frame - store.rateHz / 2)))
  const apart = (n: number) => Math.abs(props.shown[n]!.event.at - frame)
  const nearest = props.shown.reduce((best, _, n) => (best < 0 || apart(n) < apart(best) ? n : best), -1)
  if (nearest >= 0) emit('choose', nearest)
}

let stepped = -1
/** The next of what is listed. */
function next(): void {
  if (listed.value.length === 0) return
  stepped = (stepped + 1) % listed.value.length
  go(listed.value[stepped]!.frame)
}
defineExpose({ next })
</script>

<template>
  <aside class="facts" data-test="plan-facts">
    <h2>What is done</h2>
    <dl>
      <dt>strokes</dt>
      <dd class="mono">{{ shown.length }}</dd>
      <dt>moved</dt>
      <dd class="mono" data-test="moved">{{ moved.length }}</dd>
      <dt title="No room for a join before them: they move with what sounds before">ride along</dt>
      <dd class="mono">{{ shown.filter((s) => s.event.rides).length }}</dd>
      <dt>left</dt>
      <dd class="mono">{{ shown.filter((s) => s.left).length }}</dd>
      <template v-if="shown.some((s) => s.event.by_hand)">
        <dt>by hand</dt>
        <dd class="mono" data-test="moved-by-hand">{{ shown.filter((s) => s.event.by_hand).length }}</dd>
      </template>
    </dl>
    <slot />
    <ProofList :proof="proof" :current="current" />
    <template v-if="listed.length > 0">
      <h2 title="The next one: T">To listen to</h2>
      <ul data-test="to-listen">
        <li v-for="l in listed" :key="`${l.frame} ${l.what}`" :class="{ undecided: l.caution }">
          <button class="plain mono" @click="go(l.frame)">{{ clock(l.frame, store.rateHz) }}</button> {{ l.what }}
        </li>
      </ul>
    </template>
    <p class="soft">Rings: as played. Dots: as moved. Squares go with what sounds before, diamonds where a hand put them.</p>
    <p v-if="view.without.length > 0" class="soft">Without strokes of their own, moved along: {{ names(view.without) }}.</p>
  </aside>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 4px 0 8px;
  padding: 0;
  font-size: 13px;
}
</style>
