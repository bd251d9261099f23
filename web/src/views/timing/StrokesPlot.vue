<script setup lang="ts">
import { computed, ref } from 'vue'
import { useSurface } from '../../plot/surface'
import { useSession } from '../../session/store'
import { palette } from '../../shared/theme'
import { clock, fixed } from '../../shared/units'
import { afterMs, offMs, paintStrokes, type Dot, type Shown } from './strokes'

const props = withDefaults(defineProps<{ shown: Shown[]; title?: string }>(), { title: 'Along the song' })
const store = useSession()
/** The stroke that is looked at: it stays when the pointer leaves. */
const chosen = defineModel<number | null>({ required: true })
/** Strokes of which track. */
const only = defineModel<string>('only', { required: true })
const under = ref<number | null>(null)
const looked = computed(() => under.value ?? chosen.value)

const struck = computed(() => store.inOrder.filter((t) => props.shown.some((s) => s.event.tracks.includes(t.id))))
let dots: Dot[] = []
useSurface(
  'canvas',
  (s) => void (dots = paintStrokes(s, palette(), props.shown, store.rateHz, { chosen: looked.value, only: only.value })),
  [() => props.shown, looked, only],
)

const side = (ms: number) => (Math.abs(ms) < 0.005 ? 'on it' : `${fixed(Math.abs(ms), 2)} ms ${ms < 0 ? 'early' : 'late'}`)
const readout = computed(() => {
  const one = looked.value === null ? undefined : props.shown[looked.value]
  if (!one) return 'Click, or arrow keys: one stroke'
  const names = one.event.tracks.map((id) => store.track(id)?.name ?? '').join(', ')
  const where = one.soft
    ? 'softer than what is moved'
    : one.left
      ? 'too far off, left'
      : one.event.rides
        ? 'goes with what sounds before'
        : `then ${side(afterMs(one, store.rateHz))}`
  return `${names} at ${clock(one.event.at, store.rateHz)}: ${side(offMs(one, store.rateHz))}, ${where}`
})

function nearest(e: PointerEvent): void {
  const far = (d: Dot) => (d.x - e.offsetX) ** 2 + (d.y - e.offsetY) ** 2
  const best = dots.reduce<Dot | null>((a, d) => (a === null || far(d) < far(a) ? d : a), null)
  under.value = best && far(best) < 400 ? best.index : null
}

function choose(e: PointerEvent): void {
  nearest(e)
  if (under.value === null) return
  chosen.value = under.value
  go()
}

/** The next one, of the track that is looked at. */
function step(by: 1 | -1): void {
  const wanted = (n: number) => only.value === '' || props.shown[n]!.event.tracks.includes(only.value)
  let n = (chosen.value ?? (by > 0 ? -1 : props.shown.length)) + by
  while (n >= 0 && n < props.shown.length && !wanted(n)) n += by
  if (n >= 0 && n < props.shown.length) chosen.value = n
}

function onKey(e: KeyboardEvent): void {
  const by = ({ ArrowLeft: -1, ArrowRight: 1 } as const)[e.key as 'ArrowLeft']
  if (!by && e.key !== 'Enter') return
  e.preventDefault()
  e.stopPropagation()
  if (by) step(by)
  else go()
}

/** To half a second before the stroke, where it is heard. */
function go(): void {
  const one = chosen.value === null ? undefined : props.shown[chosen.value]
  if (one) store.transport?.seek(Math.max(0, Math.round(one.event.at - store.rateHz / 2)))
}

defineExpose({ step, go })
</script>

<template>
  <div class="plot-card">
    <header>
      <h2>{{ title }}</h2>
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
      <span class="mono readout" data-test="stroke-readout">{{ readout }}</span>
    </header>
    <canvas
      ref="canvas"
      tabindex="0"
      role="slider"
      aria-label="Strokes: arrow keys step, Enter listens there"
      :aria-valuenow="looked ?? 0"
      :aria-valuetext="readout"
      data-test="strokes"
      @pointermove="nearest"
      @pointerleave="under = null"
      @pointerdown="choose"
      @keydown="onKey"
    />
  </div>
</template>

<style scoped>
header {
  align-items: center;
  min-height: 34px;
}
.only {
  width: 150px;
}
canvas {
  cursor: crosshair;
}
</style>
