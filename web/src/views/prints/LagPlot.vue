<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import type { Frame } from '../../plot/axes'
import { useSurface } from '../../plot/surface'
import { palette } from '../../shared/theme'
import { clock, span, type Measure, type Unit } from '../../shared/units'
import { frameAt, paintLag, pointAt, spanOf, type Lag } from './lag'
import type { Moving, Part, PrintView, Way } from './usePrint'

const props = defineProps<{
  view: PrintView
  lag: Lag
  start: number
  unit: Unit
  measure: Measure
  moving: Moving
  way: Way | 'recorded' | 'other'
  heard: number | null
}>()
const part = defineModel<Part>('part', { required: true })
const emit = defineEmits<{ seek: [frame: number] }>()

const at = ref<number | null>(null)
let frame: Frame = { left: 0, top: 0, right: 1, bottom: 1 }
let whole = spanOf(props.lag)
watch(
  () => props.lag,
  (lag) => {
    if (part.value === null) whole = spanOf(lag)
  },
)

const { canvas: picture } = useSurface('canvas', (s) => (frame = paintLag(s, palette(), { ...props, at: at.value })), [
  () => props.view,
  () => props.way,
  () => props.unit,
  () => props.heard,
  at,
])

const readout = computed(() => {
  if (at.value === null) return 'Wheel: zoom · click: listen from there'
  const i = pointAt(props.lag, at.value)
  const told = props.lag.measured[i] ? 'measured' : 'not measured: goes on as about it'
  const lag = props.lag.lag_frames[i]!
  const by = `${span(Math.abs(lag), props.unit, props.measure)} ${lag < 0 ? 'earlier' : 'later'}`
  return `${clock(frameAt(props.lag, i), props.measure.rateHz)} · ${by} · ${told}`
})

function under(e: PointerEvent | WheelEvent): number {
  const { from, to } = spanOf(props.lag)
  return from + ((e.offsetX - frame.left) / Math.max(1, frame.right - frame.left)) * (to - from)
}

function zoom(about: number, factor: number): void {
  const now = spanOf(props.lag)
  const width = Math.min((now.to - now.from) * factor, whole.to - whole.from)
  if (width < props.measure.rateHz * 0.5 && factor < 1) return
  let from = about - ((about - now.from) / (now.to - now.from)) * width
  from = Math.max(whole.from, Math.min(from, whole.to - width))
  part.value = width >= (whole.to - whole.from) * 0.999 ? null : { from: Math.round(from), to: Math.round(from + width) }
}

function onWheel(e: WheelEvent): void {
  e.preventDefault()
  zoom(under(e), Math.exp(Math.max(-1, Math.min(1, e.deltaY / 300))))
}

function onKey(e: KeyboardEvent): void {
  const now = spanOf(props.lag)
  const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key]
  const closer = { ArrowUp: 0.6, ArrowDown: 1 / 0.6 }[e.key]
  if (!by && !closer && e.key !== 'Home' && e.key !== 'Enter') return
  e.preventDefault()
  e.stopPropagation()
  if (by) {
    const i = pointAt(props.lag, at.value ?? now.from) + (at.value === null ? 0 : by * (e.shiftKey ? 50 : 5))
    at.value = frameAt(props.lag, Math.max(0, Math.min(props.lag.lag_frames.length - 1, i)))
  } else if (closer) zoom(at.value ?? (now.from + now.to) / 2, closer)
  else if (e.key === 'Home') part.value = null
  else if (at.value !== null) emit('seek', at.value)
}

onMounted(() => picture.value?.addEventListener('wheel', onWheel, { passive: false }))
onBeforeUnmount(() => picture.value?.removeEventListener('wheel', onWheel))
</script>

<template>
  <div class="plot-card">
    <header>
      <h2>Lag along time</h2>
      <span class="mono readout" data-test="lag-readout">{{ readout }}</span>
      <button v-if="part" class="plain" title="All of the print (Home)" @click="part = null">Whole</button>
    </header>
    <canvas
      ref="canvas"
      tabindex="0"
      role="slider"
      aria-label="Place in the print: arrow keys step, up and down zoom, Enter listens from there"
      :aria-valuenow="Math.round(at ?? 0)"
      :aria-valuetext="readout"
      data-test="lag-plot"
      :data-points="lag.lag_frames.length"
      @pointermove="at = under($event)"
      @pointerleave="at = null"
      @pointerdown="emit('seek', under($event))"
      @keydown="onKey"
    />
  </div>
</template>

<style scoped>
.readout {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
canvas {
  touch-action: none;
  cursor: crosshair;
}
</style>
