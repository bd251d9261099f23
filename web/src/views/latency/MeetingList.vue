<script setup lang="ts">
import type { Schemas } from '../../api/client'
import { fixed } from '../../shared/units'
import type { PathsView } from './usePaths'

defineProps<{ view: PathsView; picked: string | null }>()
const emit = defineEmits<{ pick: [node: string] }>()

type Finding = Schemas['Finding']
const HEIGHT = 40
const WIDTH = 8
/** Room for the numbers of the scale. */
const LEFT = 22

/** The least that is drawn, in dB under two copies in step. */
function floor(f: Finding): number {
  const least = Math.min(...f.cost_bands.map((b) => b.now_db - b.then_db))
  return Math.min(-6, Math.max(-24, Math.floor(least / 6) * 6))
}

function bars(f: Finding): { x: number; y: number; h: number; told: string }[] {
  return f.cost_bands.map((b, i) => {
    const lost = Math.max(floor(f), b.now_db - b.then_db)
    return {
      x: LEFT + i * WIDTH,
      y: 1,
      h: Math.max(0.5, (lost / floor(f)) * HEIGHT),
      told: `${b.hz} Hz: ${fixed(b.now_db - b.then_db, 1)} dB`,
    }
  })
}

function mark(f: Finding, hz: number): number {
  return f.cost_bands.findIndex((b) => b.hz >= hz) * WIDTH + WIDTH / 2 + LEFT
}
</script>

<template>
  <section class="meetings" aria-label="Findings">
    <h2>Copies that meet unequally</h2>
    <p v-if="view.findings.length === 0" class="soft">None: wherever paths meet, copies of one track arrive together.</p>
    <article
      v-for="(f, i) in view.findings"
      :key="view.meetings[i]!.node"
      :class="{ chosen: picked === view.nodes[view.meetings[i]!.node]!.id }"
      data-test="finding-paths-meet-unequal"
      tabindex="0"
      @click="emit('pick', view.nodes[view.meetings[i]!.node]!.id)"
      @focus="emit('pick', view.nodes[view.meetings[i]!.node]!.id)"
    >
      <p>{{ f.text }}</p>
      <svg
        :viewBox="`0 -6 ${f.cost_bands.length * WIDTH + LEFT + 14} ${HEIGHT + 20}`"
        role="img"
        :aria-label="`What two copies lose against being in step, by third-octave: ${bars(f)
          .map((b) => b.told)
          .join(', ')}`"
      >
        <text :x="LEFT - 3" y="4" text-anchor="end">0</text>
        <text :x="LEFT - 3" :y="HEIGHT + 2" text-anchor="end">{{ fixed(floor(f), 0) }}</text>
        <path class="zero" :d="`M${LEFT} .5H${f.cost_bands.length * WIDTH + LEFT}`" />
        <rect v-for="b in bars(f)" :key="b.x" :x="b.x + 1" :y="b.y" :width="WIDTH - 2" :height="b.h">
          <title>{{ b.told }}</title>
        </rect>
        <text v-for="hz in [100, 1000, 10000]" :key="hz" :x="mark(f, hz)" :y="HEIGHT + 11" text-anchor="middle">
          {{ hz < 1000 ? hz : `${hz / 1000} k` }}
        </text>
      </svg>
      <p class="soft">Over all bands {{ fixed(-(f.cost_db ?? 0), 1) }} dB. {{ f.advice }}</p>
    </article>
  </section>
</template>

<style scoped>
article {
  border-left: 3px solid var(--land);
  padding: 3px 4px 5px 9px;
  margin: 6px 0;
  cursor: default;
}
article.chosen {
  background: var(--panel);
}
p {
  margin: 2px 0;
  font-size: 13px;
}
svg {
  display: block;
  width: 100%;
  max-width: 320px;
}
rect {
  fill: var(--depth);
}
.zero {
  stroke: var(--ink);
}
text {
  font: 8px var(--mono);
  fill: var(--soft);
}
</style>
