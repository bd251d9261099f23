<script setup lang="ts">
import { computed } from 'vue'
import { useSession } from '../../session/store'
import { tellTrouble } from '../../shared/notice'
import { vTyped } from '../../shared/typed'
import { clock, fixed } from '../../shared/units'
import { BEATS, BPM, barOf, holding, quarterOf, withChange, type TempoChange } from './changes'

/** The session's tempo and metre, change by change. */
const store = useSession()
const session = computed(() => store.detail!.session)
const all = computed<TempoChange[]>(() => [
  { quarter: 0, bpm: session.value.bpm, quarters_a_bar: session.value.beats_a_bar },
  ...session.value.tempo_changes,
])
/** Takes what was typed over; what is refused, with a sentence, gives way to what holds. */
function typed(e: Event, holds: number, put: (value: number) => string): void {
  const field = e.target as HTMLInputElement
  const refused = put(Number(field.value.replace(',', '.')))
  if (!refused) return
  tellTrouble(refused)
  field.value = String(Number(holds.toFixed(3)))
}

/** Session frame of a quarter, as the server has laid the beats. */
function frameOf(quarter: number): number {
  const part = [...store.measure.beats].reverse().find((s) => s.quarter <= quarter) ?? store.measure.beats[0]
  return part ? part.frame + (quarter - part.quarter) * part.frames_a_quarter : 0
}

function carry(next: TempoChange[]): void {
  const [first, ...later] = next
  void store.change({ bpm: first!.bpm, beats_a_bar: first!.quarters_a_bar, tempo_changes: later })
}

/** Why a change cannot be so; empty when it is carried out. */
function change(was: TempoChange, to: Partial<TempoChange>): string {
  const next = { ...was, ...to }
  if (!(next.bpm >= BPM[0] && next.bpm <= BPM[1])) return `A tempo lies between ${BPM[0]} and ${BPM[1]} quarters a minute.`
  if (!(Number.isInteger(next.quarters_a_bar) && next.quarters_a_bar >= BEATS[0] && next.quarters_a_bar <= BEATS[1]))
    return `A bar has ${BEATS[0]} to ${BEATS[1]} quarters.`
  carry(
    withChange(
      all.value.filter((c) => c.quarter !== was.quarter),
      next,
    ),
  )
  return ''
}

function remove(was: TempoChange): void {
  carry(all.value.filter((c) => c.quarter !== was.quarter))
}

/** A change at the bar in which the cursor stands, with what holds there: then it is typed over. */
function add(): void {
  const part = [...store.measure.beats].reverse().find((s) => s.frame <= store.heard.frame) ?? store.measure.beats[0]
  if (!part) return
  const quarter = Math.max(0, part.quarter + (store.heard.frame - part.frame) / part.frames_a_quarter)
  const begins = quarterOf(all.value, barOf(all.value, Math.round(quarter)))
  if (all.value.some((c) => c.quarter === begins)) return tellTrouble(`The tempo changes at bar ${barOf(all.value, begins)} already.`)
  const now = holding(all.value, begins)
  carry(withChange(all.value, { ...now, quarter: begins }))
}

function moveTo(was: TempoChange, bar: number): string {
  if (!Number.isInteger(bar) || bar < 2) return 'A change comes at bar 2 or later; the first row is where bar 1 begins.'
  const rest = all.value.filter((c) => c.quarter !== was.quarter)
  const quarter = quarterOf(rest, bar)
  if (rest.some((c) => c.quarter === quarter)) return `The tempo changes at bar ${bar} already.`
  return change(was, { quarter })
}
defineExpose({ add })
</script>

<template>
  <section class="tempo-table">
    <header>
      <h2>Bars and beats</h2>
      <span class="soft">bar 1 at {{ clock(session.first_beat_frame, store.rateHz) }}</span>
      <button class="plain" title="Bar 1 begins where the cursor stands (1)" @click="store.beginBar()">at the cursor</button>
    </header>
    <div class="scroll">
      <table class="sheet" data-test="tempo-changes">
        <thead>
          <tr>
            <th>Bar</th>
            <th>Quarters a minute</th>
            <th>Quarters a bar</th>
            <th>At</th>
            <th><span class="unseen">Remove</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(c, i) in all" :key="c.quarter" :data-quarter="c.quarter">
            <td>
              <span v-if="i === 0" class="mono">1</span>
              <input
                v-else
                v-typed="String(barOf(all, c.quarter))"
                class="mono short"
                :aria-label="`Bar of change ${i}`"
                @change="typed($event, barOf(all, c.quarter), (bar) => moveTo(c, bar))"
              />
            </td>
            <td>
              <input
                v-typed="String(Number(c.bpm.toFixed(3)))"
                class="mono"
                :aria-label="`Tempo from bar ${barOf(all, c.quarter)}`"
                @change="typed($event, c.bpm, (bpm) => change(c, { bpm }))"
              />
            </td>
            <td>
              <input
                v-typed="String(c.quarters_a_bar)"
                class="mono short"
                :aria-label="`Metre from bar ${barOf(all, c.quarter)}`"
                @change="typed($event, c.quarters_a_bar, (n) => change(c, { quarters_a_bar: n }))"
              />
            </td>
            <td class="mono soft">
              <button class="plain mono" title="Go there" @click="store.transport?.seek(Math.max(0, Math.round(frameOf(c.quarter))))">
                {{ clock(frameOf(c.quarter), store.rateHz) }}
              </button>
            </td>
            <td>
              <button
                v-if="i > 0"
                class="plain"
                :aria-label="`Remove the change at bar ${fixed(barOf(all, c.quarter), 0)}`"
                @click="remove(c)"
              >
                ×
              </button>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <button class="plain" data-test="add-change" title="A change at the bar of the cursor (=)" @click="add">
      + a change at the cursor’s bar
    </button>
  </section>
</template>

<style scoped>
.tempo-table {
  display: flex;
  flex-direction: column;
  gap: 6px;
  min-height: 0;
  background: var(--panel);
  border: 1px solid var(--line);
  padding: 8px 10px;
}
header {
  display: flex;
  gap: 10px;
  align-items: baseline;
}
.scroll {
  overflow: auto;
  min-height: 0;
}
input {
  font: inherit;
  font-size: 13px;
  width: 80px;
  color: var(--ink);
  background: var(--paper);
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 1px 4px;
}
.short {
  width: 46px;
}
.tempo-table > .plain {
  align-self: flex-start;
}
</style>
