<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import type { PairMeasurement } from '../../api/client'
import { frameOf, type Frame } from '../../plot/axes'
import { useSurface } from '../../plot/surface'
import { palette } from '../../shared/theme'
import { fixed, span, type Measure, type Unit } from '../../shared/units'
import { fullRange, lagAt, paintCurve, type LagRange } from './curve'

const props = defineProps<{ measurement: PairMeasurement; lag: number; unit: Unit; measure: Measure }>()
const emit = defineEmits<{ tryLag: [lag: number] }>()

const range = ref<LagRange>(fullRange(props.measurement))
const under = ref<number | null>(null)
let frame: Frame = { left: 0, top: 0, right: 1, bottom: 1 }
let dragging = false

watch(
  () => props.measurement,
  (m) => (range.value = fullRange(m)),
)

const { canvas: picture } = useSurface(
  'canvas',
  (s) => {
    frame = frameOf(s, 40, 34)
    paintCurve(s, palette(), props.measurement, range.value, props.lag, under.value)
  },
  [() => props.measurement, () => props.lag, range, under],
)

const readout = computed(() => {
  const at = under.value ?? props.lag
  const { first_lag_frames: first, step_frames: step, values } = props.measurement.curve
  const v = values[Math.round((at - first) / step)]
  return `${under.value === null ? 'set ' : ''}${span(at, props.unit, props.measure)}${v === undefined ? '' : ` · agreement ${fixed(v, 2)}`}`
})

function onMove(e: PointerEvent): void {
  under.value = lagAt(e.offsetX, frame, range.value)
  if (dragging) emit('tryLag', under.value)
}

function onDown(e: PointerEvent): void {
  dragging = true
  picture.value?.setPointerCapture(e.pointerId)
  emit('tryLag', lagAt(e.offsetX, frame, range.value))
}

/** Zooms about the pointer. */
function onWheel(e: WheelEvent): void {
  e.preventDefault()
  const at = lagAt(e.offsetX, frame, range.value)
  const full = fullRange(props.measurement)
  const factor = Math.exp(Math.max(-1, Math.min(1, e.deltaY / 300)))
  const low = Math.max(full.low, at - (at - range.value.low) * factor)
  const high = Math.min(full.high, at + (range.value.high - at) * factor)
  if (high - low > 4) range.value = { low, high }
}

function onKey(e: KeyboardEvent): void {
  const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key]
  if (!by) return
  e.preventDefault()
  e.stopPropagation()
  emit('tryLag', props.lag + by * (e.shiftKey ? 10 : 1))
}

onMounted(() => picture.value?.addEventListener('wheel', onWheel, { passive: false }))
onBeforeUnmount(() => picture.value?.removeEventListener('wheel', onWheel))
</script>

<template>
  <canvas
    ref="canvas"
    tabindex="0"
    role="slider"
    aria-label="Lag that is tried"
    :aria-valuenow="lag"
    :aria-valuetext="readout"
    data-test="curve"
    @pointerdown="onDown"
    @pointermove="onMove"
    @pointerup="dragging = false"
    @pointerleave="under = null"
    @keydown="onKey"
  />
  <span class="mono readout">{{ readout }}</span>
</template>

<style scoped>
canvas {
  flex: 1;
  min-height: 0;
  width: 100%;
  touch-action: none;
  cursor: ew-resize;
}
.readout {
  font-size: 12px;
  padding: 0 8px 4px;
}
</style>
