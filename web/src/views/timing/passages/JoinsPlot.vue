<script setup lang="ts">
import { computed, ref } from 'vue'
import type { Track } from '../../../api/client'
import type { Lane } from '../../../lanes/rows'
import { TileCache } from '../../../lanes/tiles'
import { valueAt } from '../../../lanes/values'
import { useSurface } from '../../../plot/surface'
import { useSession } from '../../../session/store'
import { palette } from '../../../shared/theme'
import { barsBeats, partAt } from '../../../shared/beats'
import { clock, fixed } from '../../../shared/units'
import { edgeAt, frameAt, paintJoins } from './joins'
import { EDGES, placeOf, snapped, withEdge, type Edge, type Passage, type Snap } from './plan'

const props = defineProps<{ passage: Passage; tracks: readonly Track[]; snap: Snap }>()
const emit = defineEmits<{ change: [passage: Passage]; go: [frame: number] }>()
const store = useSession()
const tiles = new TileCache(
  (lane) => `/api/sessions/${store.id}/tracks/${lane}/tiles/*`,
  () => dirty(),
)

/** What is heard of the tracks without passages, one lane each. */
const lanes = computed<Lane[]>(() =>
  props.tracks.map((t) => ({
    id: t.id,
    name: t.name,
    startFrame: t.start_frame,
    frames: t.frames,
    offset: t.correction.offset_frames,
    invert: t.correction.invert,
    pieces: t.passages.length > 0 ? t.without_passages : t.pieces,
    anchor: false,
    dim: false,
  })),
)
function peakAt(frame: number, framesPerPx: number): number | undefined {
  const peaks = lanes.value.map((lane) => valueAt(tiles, lane, Math.round(frame), framesPerPx)).filter((v) => v !== null)
  return peaks.length > 0 ? Math.max(...peaks.map((v) => Math.abs(v.value))) : undefined
}

/** While a hand drags an edge only this is moved; the plan follows when it lets go. */
const dragged = ref<Passage | null>(null)
const chosen = ref<Edge>('at')
const shown = computed(() => dragged.value ?? props.passage)
let held: { edge: Edge; off: number } | null = null
const { canvas, dirty } = useSurface(
  'canvas',
  (s) =>
    paintJoins(s, palette(), {
      passage: shown.value,
      chosen: chosen.value,
      again: (frame, framesPerPx) => peakAt(frame - (shown.value.at - shown.value.range[0]!), framesPerPx),
      below: peakAt,
      measure: store.measure,
      cursor: store.heard.frame,
    }),
  [shown, chosen, lanes, () => store.measure, () => store.heard.frame],
)

const place = (frame: number, edge: Edge) => (edge === 'at' ? snapped(frame, store.measure.beats, props.snap) : frame)
function down(e: PointerEvent): void {
  const width = canvas.value?.clientWidth ?? 1
  const frame = frameAt(props.passage, width, e.offsetX)
  const edge = edgeAt(props.passage, width, e.offsetX, chosen.value)
  const inside = frame > placeOf(props.passage, 'from') && frame < placeOf(props.passage, 'to')
  if (!edge && !inside) return emit('go', Math.round(frame))
  chosen.value = edge ?? 'at'
  // Dragged in its middle, it goes along from where it was taken hold of.
  held = { edge: chosen.value, off: placeOf(props.passage, chosen.value) - frame }
  canvas.value?.setPointerCapture(e.pointerId)
}
function moveOn(e: PointerEvent): void {
  if (!held) return
  const frame = frameAt(props.passage, canvas.value?.clientWidth ?? 1, e.offsetX) + held.off
  dragged.value = withEdge(props.passage, held.edge, place(frame, held.edge))
}
function up(): void {
  if (held && dragged.value) emit('change', dragged.value)
  held = null
  dragged.value = null
}

/** By the keyboard: up and down choose an edge, left and right move it by a ms, with Shift by ten; the whole by a bar or beat. */
function onKey(e: KeyboardEvent): void {
  const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key]
  const next = { ArrowUp: -1, ArrowDown: 1 }[e.key]
  if (!by && !next && e.key !== 'Enter') return
  e.preventDefault()
  e.stopPropagation()
  if (next) {
    const n = EDGES.findIndex(({ edge }) => edge === chosen.value) + next
    chosen.value = EDGES[Math.max(0, Math.min(EDGES.length - 1, n))]!.edge
  } else if (by) {
    emit('change', withEdge(props.passage, chosen.value, stepped(by, e.shiftKey)))
  } else emit('go', placeOf(props.passage, 'from') - Math.round(store.rateHz / 2))
}
function stepped(by: number, far: boolean): number {
  const now = placeOf(props.passage, chosen.value)
  const ms = ((far ? 10 : 1) * store.rateHz) / 1000
  if (chosen.value !== 'at' || props.snap === 'none') return now + by * ms
  const part = partAt(store.measure.beats, now)
  const unit = part.frames_a_quarter * (props.snap === 'bar' ? part.quarters_a_bar : 1)
  return snapped(now + by * unit, store.measure.beats, props.snap)
}

const told = computed(() => {
  const frame = placeOf(shown.value, chosen.value)
  const { title } = EDGES.find(({ edge }) => edge === chosen.value)!
  const off = fixed(((frame - shown.value.at) / store.rateHz) * 1000, 1)
  const where = chosen.value === 'at' ? barsBeats(frame, store.measure.beats, 2) : `${off} ms from its beginning`
  return `${title}: ${where}, ${clock(frame, store.rateHz)}`
})
</script>

<template>
  <div class="plot-card">
    <header>
      <h2>Where it is placed</h2>
      <span class="mono readout" data-test="readout">{{ told }}</span>
    </header>
    <canvas
      ref="canvas"
      tabindex="0"
      role="slider"
      aria-label="Edges of the passage: up and down choose one, left and right move it, Enter listens"
      :aria-valuenow="placeOf(shown, chosen)"
      :aria-valuetext="told"
      data-test="joins"
      @pointerdown="down"
      @pointermove="moveOn"
      @pointerup="up"
      @pointercancel="up"
      @keydown="onKey"
    />
  </div>
</template>

<style scoped>
canvas {
  cursor: ew-resize;
  touch-action: none;
}
</style>
