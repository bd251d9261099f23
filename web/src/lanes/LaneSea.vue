<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useSurface } from '../plot/surface'
import { palette } from '../shared/theme'
import { clock, samples, stretchOf, type Measure } from '../shared/units'
import { paintLanes, paintMarks, type Hairline, type Picture } from './paint'
import { RULER, type Marks, type Ruler } from './ruler'
import type { StackRow } from './rows'
import type { LaneStroke } from './strokes'
import { TileCache } from './tiles'
import { valueAt, valueText } from './values'
import { WaveBuffer } from './waveBuffer'
import { panBy, resized, stretch, zoomAt, type Viewport } from './viewport'

const props = defineProps<{
  session: string
  rows: readonly StackRow[]
  scroll: number
  viewport: Viewport
  cursor: number
  hits: readonly number[]
  strokes: readonly LaneStroke[]
  measure: Measure
  ruler: Ruler
  marks: Marks
  way: Picture['way']
  fitted: boolean
}>()
const emit = defineEmits<{ seek: [frame: number]; loop: [from: number, to: number]; scroll: [px: number]; under: [text: string] }>()

const tiles = new TileCache(
  (lane) => `/api/sessions/${props.session}/tracks/${lane}/tiles/*`,
  () => dirty(),
)
const laid = new TileCache(
  (lane) => `/api/sessions/${props.session}/${lane}`,
  () => dirty(),
)
const buffer = new WaveBuffer()
const hairline = ref<Hairline | null>(null)
/** Two places with the time between them told, in session frames. */
const measured = ref<[number, number] | null>(null)
const told = computed(() => (measured.value ? stretchOf(measured.value[1] - measured.value[0], props.measure) : ''))

const { canvas: picture, dirty } = useSurface(
  'canvas',
  (s) => {
    resized(props.viewport, s.width)
    paintLanes(s, palette(), props.viewport, props, tiles, laid, buffer)
  },
  [
    () => props.rows,
    () => props.scroll,
    () => props.viewport.start,
    () => props.viewport.framesPerPx,
    () => props.viewport.vertical,
    () => props.hits,
    () => props.strokes,
    () => props.ruler,
    () => props.marks,
    () => props.way,
    () => props.fitted,
    () => props.measure,
  ],
  true,
)
useSurface('marks', (s) => paintMarks(s, palette(), props.viewport, props.cursor, hairline.value, measured.value), [
  measured,
  () => props.cursor,
  () => props.viewport.start,
  () => props.viewport.framesPerPx,
  hairline,
])

const frameAt = (x: number) => props.viewport.start + x * props.viewport.framesPerPx

/** The line under the pointer with what every lane in view holds there. */
function look(x: number): void {
  const frame = frameAt(x)
  const high = picture.value?.clientHeight ?? 0
  const values = props.rows.flatMap((row) => {
    const y = RULER + row.top - props.scroll + 2
    if (row.kind !== 'lane' || y < RULER || y > high - 14) return []
    const found = valueAt(tiles, row.lane, frame, props.viewport.framesPerPx)
    return found ? [{ y, text: valueText(found) }] : []
  })
  hairline.value = { x, values }
  emit('under', `${clock(frame, props.measure.rateHz)} · ${samples(Math.round(frame))}`)
}

function onWheel(e: WheelEvent): void {
  e.preventDefault()
  if (e.altKey) emit('scroll', e.deltaY)
  else if (e.ctrlKey || e.metaKey) stretch(props.viewport, Math.exp(-e.deltaY / 300))
  else if (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY)) panBy(props.viewport, e.deltaX || e.deltaY)
  else zoomAt(props.viewport, e.offsetX, Math.exp(Math.max(-1, Math.min(1, e.deltaY / 300))))
}

let drag: { x: number; moved: boolean; kind: 'pan' | 'measure' | 'loop'; from: number } | null = null

function onDown(e: PointerEvent): void {
  if (e.button !== 0) return
  const kind = e.shiftKey ? 'measure' : e.offsetY < RULER ? 'loop' : 'pan'
  drag = { x: e.offsetX, moved: false, kind, from: frameAt(e.offsetX) }
  measured.value = e.shiftKey ? [drag.from, drag.from] : null
  picture.value?.setPointerCapture(e.pointerId)
}

function onMove(e: PointerEvent): void {
  look(e.offsetX)
  if (!drag) return
  if (Math.abs(e.offsetX - drag.x) > 3) drag.moved = true
  if (!drag.moved) return
  if (drag.kind === 'pan') {
    panBy(props.viewport, drag.x - e.offsetX)
    drag.x = e.offsetX
  } else measured.value = [drag.from, frameAt(e.offsetX)]
}

function onUp(e: PointerEvent): void {
  if (drag && !drag.moved && drag.kind !== 'measure') emit('seek', frameAt(e.offsetX))
  if (drag?.moved && drag.kind === 'loop') {
    const to = frameAt(e.offsetX)
    emit('loop', Math.round(Math.min(drag.from, to)), Math.round(Math.max(drag.from, to)))
    measured.value = null
  }
  drag = null
}

function onLeave(): void {
  hairline.value = null
  emit('under', '')
}

onMounted(() => picture.value?.addEventListener('wheel', onWheel, { passive: false }))
onBeforeUnmount(() => picture.value?.removeEventListener('wheel', onWheel))
watch(() => props.session, dirty)
</script>

<template>
  <div class="sea">
    <canvas
      ref="canvas"
      role="img"
      aria-label="Waveforms of the tracks along the session"
      data-test="sea"
      @pointerdown="onDown"
      @pointermove="onMove"
      @pointerup="onUp"
      @pointerleave="onLeave"
    />
    <canvas ref="marks" class="marks" aria-hidden="true" />
    <output v-if="told" class="told mono" data-test="measured">{{ told }}</output>
    <output class="unseen" data-test="values">{{ hairline?.values.map((v) => v.text).join('; ') }}</output>
  </div>
</template>

<style scoped>
.sea {
  flex: 1;
  min-width: 0;
  position: sticky;
  top: 0;
}
canvas {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  touch-action: none;
  cursor: crosshair;
}
.marks {
  pointer-events: none;
}
.told {
  position: absolute;
  right: 6px;
  top: 26px;
  padding: 1px 8px;
  font-size: 12px;
  background: var(--panel);
  border: 1px solid var(--land);
  pointer-events: none;
}
</style>
