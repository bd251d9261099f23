<script setup lang="ts">
import { computed } from 'vue'
import { fixed } from '../../shared/units'
import { ticks } from '../../plot/ticks'
import type { Recorded } from './recordings'
import type { ClockView } from './useClocks'

/** Where each recording lies in the reference's time: as recorded faint, where it was found full. */
const props = defineProps<{ all: readonly Recorded[]; found: ReadonlyMap<string, ClockView>; reference: Recorded; rateHz: number }>()

const ROW = 22
const LEFT = 150
const WIDE = 1000

const bars = computed(() =>
  props.all.map((r, i) => {
    const f = props.found.get(r.id)
    const begins = f?.begins_frame ?? null
    const at = begins === null ? null : props.reference.from + begins
    return {
      id: r.id,
      name: r.name,
      y: 6 + i * ROW,
      recorded: [r.from, r.to] as const,
      placed: at === null ? null : ([at, at + r.to - r.from] as const),
      verdict: f?.verdict ?? '',
    }
  }),
)
const range = computed(() => {
  const ends = bars.value.flatMap((b) => [...b.recorded, ...(b.placed ?? [])])
  const [low, high] = [Math.min(...ends), Math.max(...ends)]
  return { low, high: Math.max(high, low + 1) }
})
const x = (frame: number) => LEFT + ((frame - range.value.low) / (range.value.high - range.value.low)) * (WIDE - LEFT - 12)
const marks = computed(() => ticks(range.value.low / props.rateHz, range.value.high / props.rateHz, 8))
const height = computed(() => 6 + bars.value.length * ROW + 22)
</script>

<template>
  <svg :viewBox="`0 0 ${WIDE} ${height}`" role="img" aria-label="Where each recording lies in the time of the reference">
    <g v-for="m in marks" :key="m">
      <path class="grid" :d="`M${x(m * rateHz)} 4V${height - 20}`" />
      <text class="tick" :x="x(m * rateHz)" :y="height - 6" text-anchor="middle">{{ fixed(m, m % 1 ? 1 : 0) }}</text>
    </g>
    <text class="tick" :x="WIDE - 4" :y="height - 6" text-anchor="end">s</text>
    <g v-for="b in bars" :key="b.id" :data-bar="b.name">
      <text class="name" x="0" :y="b.y + 12">{{ b.name.length > 22 ? `${b.name.slice(0, 21)}…` : b.name }}</text>
      <rect class="recorded" :x="x(b.recorded[0])" :y="b.y + 3" :width="Math.max(2, x(b.recorded[1]) - x(b.recorded[0]))" height="11" />
      <rect
        v-if="b.placed"
        class="placed"
        :class="b.verdict"
        :x="x(b.placed[0])"
        :y="b.y"
        :width="Math.max(2, x(b.placed[1]) - x(b.placed[0]))"
        height="17"
      />
    </g>
  </svg>
</template>

<style scoped>
svg {
  width: 100%;
  background: var(--panel);
  border: 1px solid var(--line);
  padding: 4px 8px;
  box-sizing: border-box;
}
.grid {
  stroke: var(--line);
}
.tick,
.name {
  font-size: 11px;
  fill: var(--soft);
}
.name {
  font-size: 12px;
  fill: var(--ink);
}
.recorded {
  fill: none;
  stroke: var(--soft);
  stroke-dasharray: 3 3;
}
.placed {
  fill: var(--shoal);
  stroke: var(--depth);
  stroke-width: 1.5;
}
.placed.likely {
  stroke-dasharray: 6 3;
}
</style>
