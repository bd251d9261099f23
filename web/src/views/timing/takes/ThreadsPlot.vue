<script setup lang="ts">
import { computed } from 'vue'
import SteppedPlot from '../../../plot/SteppedPlot.vue'
import type { Surface } from '../../../plot/surface'
import { paintThreads } from '../../../plot/threads'
import { useSession } from '../../../session/store'
import { palette } from '../../../shared/theme'
import { clock, fixed } from '../../../shared/units'
import { afterMs, type Chord, type Flag } from './plan'

const props = defineProps<{
  chords: readonly Chord[]
  flagged: readonly { flag: Flag; meant: boolean }[]
  slackMs: number
  names: readonly [string, string]
}>()
const store = useSession()

const of = computed(() => [props.chords, props.flagged, props.slackMs])
const paint = (s: Surface, looked: number | null) =>
  paintThreads(s, palette(), {
    all: props.chords.map((c) => ({ at: c.at[0]!, before: c.apart_ms, after: afterMs(c, store.rateHz), verdict: c.verdict })),
    shaded: props.flagged.map(({ flag, meant }) => ({ from: flag.range[0]!, to: flag.range[1]!, settled: meant })),
    slackMs: props.slackMs,
    rateHz: store.rateHz,
    chosen: looked,
    names: props.names,
    title: `${props.names[1]} later than in the median, ms`,
  })

const side = (ms: number) => (Math.abs(ms) < 0.05 ? 'together' : `${fixed(Math.abs(ms), 1)} ms ${ms < 0 ? 'earlier' : 'later'}`)
function told(looked: number | null): string {
  const c = looked === null ? undefined : props.chords[looked]
  if (!c) return 'Click, or arrow keys: one chord'
  const after = afterMs(c, store.rateHz)
  const then = after === c.apart_ms ? '' : `, then ${side(after)}`
  return `${clock(c.at[0]!, store.rateHz)}: ${props.names[1]} ${side(c.apart_ms)}${then} – ${c.verdict}`
}

/** To half a second before the chord. */
function go(index: number): void {
  const c = props.chords[index]
  if (c) store.transport?.seek(Math.max(0, Math.round(Math.min(...c.at) - store.rateHz / 2)))
}
</script>

<template>
  <SteppedPlot
    title="Chord by chord"
    label="Chords"
    :count="chords.length"
    :paint="paint"
    :of="of"
    :told="told"
    data-plot="threads"
    @go="go"
  />
</template>
