<script setup lang="ts">
import { computed, useTemplateRef } from 'vue'
import SteppedPlot from '../../plot/SteppedPlot.vue'
import type { Surface } from '../../plot/surface'
import { useSession } from '../../session/store'
import { palette } from '../../shared/theme'
import { clock, fixed } from '../../shared/units'
import { afterMs, offMs, paintStrokes, type Shown } from './strokes'

const props = withDefaults(defineProps<{ shown: Shown[]; title?: string }>(), { title: 'Along the song' })
const store = useSession()
/** The stroke that is looked at, and strokes of which track. */
const chosen = defineModel<number | null>({ required: true })
const only = defineModel<string>('only', { required: true })
const plot = useTemplateRef('plot')

const struck = computed(() => store.inOrder.filter((t) => props.shown.some((s) => s.event.tracks.includes(t.id))))
const of = computed(() => [props.shown, only.value])
const paint = (s: Surface, looked: number | null) =>
  paintStrokes(s, palette(), props.shown, store.rateHz, { chosen: looked, only: only.value })
const wanted = (n: number) => only.value === '' || props.shown[n]!.event.tracks.includes(only.value)

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
  </SteppedPlot>
</template>

<style scoped>
.only {
  width: 150px;
}
</style>
