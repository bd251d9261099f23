<script setup lang="ts">
import { computed, ref, useTemplateRef } from 'vue'
import SteppedPlot from '../../plot/SteppedPlot.vue'
import type { Surface } from '../../plot/surface'
import { useSession } from '../../session/store'
import { palette } from '../../shared/theme'
import { clock, fixed } from '../../shared/units'
import { afterMs, isWanted, offMs, paintStrokes, type Shown, type Which } from './strokes'

const props = withDefaults(defineProps<{ shown: Shown[]; title?: string }>(), { title: 'Along the song' })
const store = useSession()
/** The stroke that is looked at, and strokes of which track. */
const chosen = defineModel<number | null>({ required: true })
const only = defineModel<string>('only', { required: true })
const plot = useTemplateRef('plot')

const struck = computed(() => store.inOrder.filter((t) => props.shown.some((s) => s.event.tracks.includes(t.id))))
const ALL: { value: Which; label: string; title: string }[] = [
  { value: 'all', label: 'all', title: 'Step through all strokes' },
  { value: 'strong', label: 'strongest', title: 'Step through those that are louder than a usual one of their source' },
  { value: 'off', label: 'off', title: 'Step through those that are moved, or too far off to be' },
]
/** Without levels no stroke is stronger than another. */
const WHICH = computed(() => ALL.filter((w) => w.value !== 'strong' || props.shown.some((s) => s.event.level_db !== 0)))
const which = ref<Which>('all')
const of = computed(() => [props.shown, only.value, which.value])
const isOne = (s: Shown) => isWanted(s, which.value, only.value)
const paint = (s: Surface, looked: number | null) =>
  paintStrokes(s, palette(), props.shown, store.rateHz, { chosen: looked, wanted: isOne })
const wanted = (n: number) => isOne(props.shown[n]!)

const side = (ms: number) => (Math.abs(ms) < 0.005 ? 'on it' : `${fixed(Math.abs(ms), 2)} ms ${ms < 0 ? 'early' : 'late'}`)
function told(looked: number | null): string {
  const one = looked === null ? undefined : props.shown[looked]
  if (!one) return 'Click, or arrow keys: one stroke'
  const names = one.event.tracks.map((id) => store.track(id)?.name ?? '').join(', ')
  const where = one.soft
    ? 'softer than what is moved'
    : one.left
      ? 'left where it is'
      : one.event.rides
        ? 'goes with what sounds before'
        : `then ${side(afterMs(one, store.rateHz))}`
  return `${names} at ${clock(one.event.at, store.rateHz)}: ${side(offMs(one, store.rateHz))}, ${where}`
}

/** To half a second before the stroke, where it is heard. */
function go(index: number): void {
  const one = props.shown[index]
  if (one) store.transport?.seek(Math.max(0, Math.round(one.event.at - store.rateHz / 2)))
}

defineExpose({ step: (by: 1 | -1) => plot.value?.step(by), go: () => plot.value?.go() })
</script>

<template>
  <SteppedPlot
    ref="plot"
    v-model="chosen"
    :title="title"
    label="Strokes"
    :count="shown.length"
    :paint="paint"
    :of="of"
    :told="told"
    :wanted="wanted"
    data-plot="strokes"
    @go="go"
  >
    <el-select
      v-if="struck.length > 1"
      v-model="only"
      size="small"
      class="only"
      clearable
      placeholder="all tracks"
      aria-label="Strokes of which track"
    >
      <el-option v-for="t in struck" :key="t.id" :value="t.id" :label="t.name" />
    </el-select>
    <div class="choice" role="group" aria-label="Step through">
      <button
        v-for="w in WHICH"
        :key="w.value"
        :aria-pressed="which === w.value"
        :title="w.title"
        :data-test="`step-${w.value}`"
        @click="which = w.value"
      >
        {{ w.label }}
      </button>
    </div>
  </SteppedPlot>
</template>

<style scoped>
.only {
  width: 150px;
}
</style>
