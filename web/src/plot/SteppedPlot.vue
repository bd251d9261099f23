<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import type { Dot } from './dots'
import { useSurface, type Surface } from './surface'

const props = defineProps<{
  title: string
  /** What it is, for those who do not see it; the keys are said besides. */
  label: string
  count: number
  /** Draws it with one that stands out, and gives where all lie. */
  paint: (s: Surface, looked: number | null) => Dot[]
  /** What the drawing depends on: another object when it is to be drawn anew. */
  of: unknown
  /** What is said of one; of none, how to choose one. */
  told: (looked: number | null) => string
  /** Only these are stepped through. */
  wanted?: (index: number) => boolean
}>()
const emit = defineEmits<{ go: [index: number] }>()
/** Chosen by a click or a key: it stays when the pointer leaves. */
const chosen = defineModel<number | null>({ default: null })
const under = ref<number | null>(null)
const looked = computed(() => under.value ?? chosen.value)
/** Further than this from the pointer nothing is meant, in CSS pixels. */
const NEAR = 20

let dots: Dot[] = []
useSurface('canvas', (s) => void (dots = props.paint(s, looked.value)), [() => props.of, looked])
watch(
  () => props.count,
  (count) => {
    if (chosen.value !== null && chosen.value >= count) chosen.value = null
    under.value = null
  },
)

function nearest(e: PointerEvent): void {
  const far = (d: Dot) => (d.x - e.offsetX) ** 2 + (d.y - e.offsetY) ** 2
  const best = dots.reduce<Dot | null>((a, d) => (a === null || far(d) < far(a) ? d : a), null)
  under.value = best && far(best) < NEAR ** 2 ? best.index : null
}

function choose(e: PointerEvent): void {
  nearest(e)
  if (under.value === null) return
  chosen.value = under.value
  go()
}

/** The next one of those that are wanted. */
function step(by: 1 | -1): void {
  let n = (chosen.value ?? (by > 0 ? -1 : props.count)) + by
  while (n >= 0 && n < props.count && !(props.wanted?.(n) ?? true)) n += by
  if (n >= 0 && n < props.count) chosen.value = n
}

function go(): void {
  if (chosen.value !== null) emit('go', chosen.value)
}

function onKey(e: KeyboardEvent): void {
  const by = ({ ArrowLeft: -1, ArrowRight: 1 } as const)[e.key as 'ArrowLeft']
  if (!by && e.key !== 'Enter') return
  e.preventDefault()
  e.stopPropagation()
  if (by) step(by)
  else go()
}

defineExpose({ step, go })
</script>

<template>
  <div class="plot-card">
    <header>
      <h2>{{ title }}</h2>
      <slot />
      <span class="mono readout" data-test="readout">{{ told(looked) }}</span>
    </header>
    <canvas
      ref="canvas"
      tabindex="0"
      role="slider"
      :aria-label="`${label}: arrow keys step, Enter listens there`"
      :aria-valuenow="looked ?? 0"
      :aria-valuetext="told(looked)"
      data-test="stepped"
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
canvas {
  cursor: crosshair;
}
</style>
