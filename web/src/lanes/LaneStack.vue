<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import { useSurface } from '../plot/surface'
import { palette } from '../shared/theme'
import { clock, samples, span, stretchOf, type Measure, type Unit } from '../shared/units'
import { paintLanes, paintMarks, RULER, type Lane } from './paint'
import { TileCache } from './tiles'
import { WaveBuffer } from './waveBuffer'
import { panBy, stretch, zoomAt, type Viewport } from './viewport'

const props = defineProps<{
  session: string
  lanes: Lane[]
  viewport: Viewport
  rateHz: number
  laneHeight: number
  cursor: number
  hits: number[]
  measure: Measure
  unit: Unit
  muted: ReadonlySet<string>
  soloed: ReadonlySet<string>
  selected: readonly string[]
}>()
const emit = defineEmits<{ seek: [frame: number]; mute: [id: string]; solo: [id: string]; select: [id: string]; offset: [id: string, text: string] }>()

const tiles = new TileCache(props.session, () => dirty())
const buffer = new WaveBuffer()
const hairline = ref<number | null>(null)
/** Two places with the time between them told, in session frames. */
const measured = ref<[number, number] | null>(null)
const told = computed(() => (measured.value ? stretchOf(measured.value[1] - measured.value[0], props.measure) : ''))
const typing = ref('')
const height = computed(() => RULER + props.lanes.length * props.laneHeight)

const { canvas, dirty } = useSurface(
  (s) => {
    props.viewport.width = s.width
    paintLanes(s, palette(), props.viewport, props.lanes, props.laneHeight, tiles, props.rateHz, props.hits, buffer)
  },
  [() => props.lanes, () => props.viewport.start, () => props.viewport.framesPerPx, () => props.viewport.vertical, () => props.hits, height],
  true,
)
const { canvas: marks } = useSurface((s) => paintMarks(s, palette(), props.viewport, props.cursor, hairline.value, measured.value), [
  measured,
  () => props.cursor,
  () => props.viewport.start,
  () => props.viewport.framesPerPx,
  hairline,
])

const under = computed(() => {
  if (hairline.value === null) return ''
  const frame = props.viewport.start + hairline.value * props.viewport.framesPerPx
  return `${clock(frame, props.rateHz)} · ${samples(Math.round(frame))}`
})

function onWheel(e: WheelEvent): void {
  e.preventDefault()
  if (e.ctrlKey || e.metaKey) stretch(props.viewport, Math.exp(-e.deltaY / 300))
  else if (e.shiftKey || Math.abs(e.deltaX) > Math.abs(e.deltaY)) panBy(props.viewport, e.deltaX || e.deltaY)
  else zoomAt(props.viewport, e.offsetX, Math.exp(Math.max(-1, Math.min(1, e.deltaY / 300))))
}

const frameAt = (x: number) => props.viewport.start + x * props.viewport.framesPerPx

function typed(lane: Lane, e: Event): void {
  const text = (e.target as HTMLInputElement).value.trim()
  if (typing.value !== lane.id) return
  typing.value = ''
  if (text !== '' && text !== samples(lane.offset)) emit('offset', lane.id, text)
}

let drag: { x: number; moved: boolean; measures: boolean } | null = null

function onDown(e: PointerEvent): void {
  if (e.button !== 0) return
  drag = { x: e.offsetX, moved: false, measures: e.shiftKey }
  measured.value = e.shiftKey ? [frameAt(e.offsetX), frameAt(e.offsetX)] : null
  canvas.value?.setPointerCapture(e.pointerId)
}

function onMove(e: PointerEvent): void {
  hairline.value = e.offsetX
  if (!drag) return
  if (Math.abs(e.offsetX - drag.x) > 3) drag.moved = true
  if (drag.measures && measured.value) measured.value = [measured.value[0], frameAt(e.offsetX)]
  else if (drag.moved) {
    panBy(props.viewport, drag.x - e.offsetX)
    drag.x = e.offsetX
  }
}

function onUp(e: PointerEvent): void {
  if (drag && !drag.moved && !drag.measures) emit('seek', props.viewport.start + e.offsetX * props.viewport.framesPerPx)
  drag = null
}

function onLeave(): void {
  hairline.value = null
}

onMounted(() => canvas.value?.addEventListener('wheel', onWheel, { passive: false }))
onBeforeUnmount(() => canvas.value?.removeEventListener('wheel', onWheel))
watch(() => props.laneHeight, dirty)
</script>

<template>
  <div class="stack" :style="{ height: `${height}px` }">
    <div class="columns">
      <div class="head" :style="{ height: `${RULER}px` }">
        <span class="mono under">{{ under || 'Track' }}</span><span class="number">Offset</span><span title="Polarity">Pol.</span>
      </div>
      <div
        v-for="lane in lanes"
        :key="lane.id"
        class="lane"
        :class="{ selected: selected.includes(lane.id) }"
        :style="{ height: `${laneHeight}px` }"
        :data-lane="lane.name"
        :data-offset="lane.offset"
        :data-inverted="lane.invert"
      >
        <button class="plain name" :title="lane.name" @click="emit('select', lane.id)">
          <i v-if="lane.anchor" class="anchor" title="anchor: stays as it is" />{{ lane.name }}
        </button>
        <input
          v-if="typing === lane.id"
          class="number mono typed"
          :aria-label="`offset of ${lane.name}: samples, or with ms, µs, cm, m, or a note length`"
          data-test="lane-offset"
          :value="samples(lane.offset)"
          @vue:mounted="({ el }: { el: HTMLInputElement }) => (el.focus(), el.select())"
          @keydown.enter="typed(lane, $event)"
          @keydown.esc="typing = ''"
          @blur="typed(lane, $event)"
        />
        <button v-else class="plain number mono" :title="`type an offset for ${lane.name}`" data-test="type-offset" @click="typing = lane.id">
          {{ lane.offset === 0 ? '0' : span(lane.offset, unit, measure).replace(/ (samples|quarters)$/, '') }}
        </button>
        <span :class="lane.invert ? 'caution' : ''" :title="lane.invert ? 'inverted' : 'upright'">{{ lane.invert ? '▼' : '▲' }}</span>
        <button class="tiny" :aria-pressed="muted.has(lane.id)" :title="`mute ${lane.name}`" @click="emit('mute', lane.id)">mute</button>
        <button class="tiny" :aria-pressed="soloed.has(lane.id)" :title="`solo ${lane.name}`" @click="emit('solo', lane.id)">solo</button>
      </div>
    </div>
    <div class="sea">
      <canvas
        ref="canvas"
        role="img"
        aria-label="Waveforms of the tracks along the session"
        @pointerdown="onDown"
        @pointermove="onMove"
        @pointerup="onUp"
        @pointerleave="onLeave"
      />
      <canvas ref="marks" class="marks" aria-hidden="true" />
      <output v-if="told" class="told mono" data-test="measured">{{ told }}</output>
    </div>
  </div>
</template>

<style scoped>
.stack {
  display: flex;
  background: var(--panel);
  border: 1px solid var(--line);
}
.columns {
  width: 318px;
  flex: none;
  border-right: 1px solid var(--line);
}
.head,
.lane {
  display: grid;
  grid-template-columns: 1fr 74px 22px 44px 42px;
  align-items: center;
  gap: 4px;
  padding: 0 6px;
  box-sizing: border-box;
  border-bottom: 1px solid var(--line);
  overflow: hidden;
}
.head {
  font-size: 12px;
  color: var(--soft);
}
.under {
  font-size: 11px;
  white-space: nowrap;
}
.lane.selected {
  background: color-mix(in srgb, var(--shoal) 55%, transparent);
}
.name {
  text-align: left;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  padding: 1px 4px;
  font-weight: 600;
}
.anchor {
  display: inline-block;
  width: 8px;
  height: 8px;
  margin-right: 5px;
  background: var(--land);
  border: 1px solid var(--land-ink);
  transform: rotate(45deg);
}
.number {
  text-align: right;
  font-size: 12px;
  white-space: nowrap;
}
.tiny {
  font: 11px var(--sans);
  border: 1px solid var(--line);
  border-radius: 3px;
  background: var(--panel);
  color: var(--ink);
  padding: 0 2px;
  height: 20px;
  cursor: pointer;
}
.tiny[aria-pressed='true'] {
  background: var(--ink);
  color: var(--panel);
}
.sea {
  flex: 1;
  min-width: 0;
  position: relative;
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
.typed {
  width: 100%;
  box-sizing: border-box;
  font: 12px var(--mono);
  color: var(--ink);
  background: var(--paper);
  border: 1px solid var(--depth);
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
