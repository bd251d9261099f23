<script setup lang="ts">
import { computed } from 'vue'
import SteppedPlot from '../../../plot/SteppedPlot.vue'
import type { Surface } from '../../../plot/surface'
import { useSession } from '../../../session/store'
import { palette } from '../../../shared/theme'
import { clock } from '../../../shared/units'
import { changeOf, told, type Found, type Plan } from './plan'
import { paintStaff } from './staff'

const props = defineProps<{ found: Found; plan: Plan; range: readonly [number, number] }>()
const emit = defineEmits<{ go: [frame: number] }>()
const chosen = defineModel<number | null>({ required: true })
const store = useSession()

const of = computed(() => [props.found, props.plan, props.range])
const paint = (s: Surface, looked: number | null) => paintStaff(s, palette(), { ...props, rateHz: store.rateHz, chosen: looked })
function said(looked: number | null): string {
  const n = looked === null ? undefined : props.found.notes[looked]
  if (!n) return 'Click, or arrow keys: one note'
  const change = changeOf(props.plan, n)
  const then = change && change.cents ? `, then ${told(n.key + change.cents / 100)}` : ''
  return `${clock(n.from, store.rateHz)}: ${told(n.key)}${then} – ${n.verdict}`
}
const shown = (index: number) => {
  const n = props.found.notes[index]
  return n !== undefined && n.to > props.range[0] && n.from < props.range[1]
}
const go = (index: number) => props.found.notes[index] && emit('go', props.found.notes[index].from)
</script>

<template>
  <SteppedPlot
    v-model="chosen"
    title="Pitch"
    label="Notes"
    :count="found.notes.length"
    :paint="paint"
    :of="of"
    :told="said"
    :wanted="shown"
    data-plot="staff"
    @go="go"
  />
</template>
