<script setup lang="ts">
import { computed, ref } from 'vue'
import { useSurface } from '../../../plot/surface'
import { useSession } from '../../../session/store'
import { palette } from '../../../shared/theme'
import { clock, fixed } from '../../../shared/units'
import { afterMs, type Chord, type Flag } from './plan'
import { paintTakes, type Dot } from './threads'

const props = defineProps<{
  chords: readonly Chord[]
  flagged: readonly { flag: Flag; meant: boolean }[]
  slackMs: number
  names: readonly [string, string]
}>()
const store = useSession()
const chosen = ref<number | null>(null)

let dots: Dot[] = []
useSurface('canvas', (s) => void (dots = paintTakes(s, palette(), { ...props, rateHz: store.rateHz, chosen: chosen.value })), [
  () => props.chords,
  () => props.flagged,
  () => props.slackMs,
  chosen,
])

const side = (ms: number) => (Math.abs(ms) < 0.05 ? 'together' : `${fixed(Math.abs(ms), 1)} ms ${ms < 0 ? 'earlier' : 'later'}`)
const readout = computed(() => {
  const c = chosen.value === null ? undefined : props.chords[chosen.value]
  if (!c) return 'Under the pointer, or arrow keys: one chord'
  const after = afterMs(c, store.rateHz)
  const then = after === c.apart_ms ? '' : `, then ${side(after)}`
  return `${clock(c.at[0]!, store.rateHz)}: ${props.names[1]} ${side(c.apart_ms)}${then} – ${c.verdict}`
})

function nearest(e: PointerEvent): void {
  const best = dots.reduce<Dot | null>((a, d) => (a === null || Math.abs(d.x - e.offsetX) < Math.abs(a.x - e.offsetX) ? d : a), null)
  chosen.value = best && Math.abs(best.x - e.offsetX) < 20 ? best.index : null
}

function onKey(e: KeyboardEvent): void {
  const by = { ArrowLeft: -1, ArrowRight: 1 }[e.key]
  if ((!by && e.key !== 'Enter') || props.chords.length === 0) return
  e.preventDefault()
  e.stopPropagation()
  if (!by) return go()
  chosen.value = Math.max(0, Math.min(props.chords.length - 1, (chosen.value ?? (by > 0 ? -1 : props.chords.length)) + by))
}

/** To half a second before the chord. */
function go(): void {
  const c = chosen.value === null ? undefined : props.chords[chosen.value]
  if (c) store.transport?.seek(Math.max(0, Math.round(Math.min(...c.at) - store.rateHz / 2)))
}
</script>

<template>
  <div class="plot-card">
    <header>
      <h2>Chord by chord</h2>
      <span class="mono readout" data-test="chord-readout">{{ readout }}</span>
    </header>
    <canvas
      ref="canvas"
      tabindex="0"
      role="slider"
      aria-label="Chords: arrow keys step, Enter listens there"
      :aria-valuenow="chosen ?? 0"
      :aria-valuetext="readout"
      data-test="threads"
      @pointermove="nearest"
      @pointerleave="chosen = null"
      @pointerdown="go"
      @keydown="onKey"
    />
  </div>
</template>

<style scoped>
canvas {
  cursor: crosshair;
}
</style>
