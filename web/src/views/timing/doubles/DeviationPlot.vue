<script setup lang="ts">
import { computed } from 'vue'
import SteppedPlot from '../../../plot/SteppedPlot.vue'
import type { Surface } from '../../../plot/surface'
import { paintThreads, type Shade, type Thread } from '../../../plot/threads'
import { useSession } from '../../../session/store'
import { palette } from '../../../shared/theme'
import { clock, fixed } from '../../../shared/units'

const props = defineProps<{
  all: readonly Thread[]
  shaded: readonly Shade[]
  slackMs: number
  names: readonly [string, string]
}>()
const emit = defineEmits<{ go: [frame: number] }>()
const chosen = defineModel<number | null>({ required: true })
const store = useSession()

const of = computed(() => [props.all, props.shaded, props.slackMs])
const paint = (s: Surface, looked: number | null) =>
  paintThreads(s, palette(), {
    ...props,
    rateHz: store.rateHz,
    chosen: looked,
    title: `${props.names[1]} later than ${props.names[0]}, ms`,
  })

const side = (ms: number) => (Math.abs(ms) < 0.05 ? 'together' : `${fixed(Math.abs(ms), 1)} ms ${ms < 0 ? 'earlier' : 'later'}`)
function told(looked: number | null): string {
  const t = looked === null ? undefined : props.all[looked]
  if (!t) return 'Click, or arrow keys: one beginning'
  const then = t.after === t.before ? '' : `, then ${side(t.after)}`
  return `${clock(t.at, store.rateHz)}: ${side(t.before)}${then} – ${t.pinned ? 'pinned' : t.verdict}`
}
const go = (index: number) => props.all[index] && emit('go', props.all[index].at)
</script>

<template>
  <SteppedPlot
    v-model="chosen"
    title="Beginning by beginning"
    label="Beginnings"
    :count="all.length"
    :paint="paint"
    :of="of"
    :told="told"
    data-plot="deviation"
    @go="go"
  />
</template>
