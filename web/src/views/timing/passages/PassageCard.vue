<script setup lang="ts">
import { computed } from 'vue'
import { useSession } from '../../../session/store'
import { barsBeats, frameOfBar } from '../../../shared/beats'
import { tellTrouble } from '../../../shared/notice'
import { vTyped } from '../../../shared/typed'
import { clock, fixed } from '../../../shared/units'
import { placeOf, withEdge, type Passage } from './plan'

const props = defineProps<{ passage: Passage; names: string }>()
const emit = defineEmits<{ change: [passage: Passage]; here: []; remove: []; again: []; hear: [frame: number] }>()
const store = useSession()

const ms = (frames: number) => (1000 * frames) / store.rateHz
const FIELDS = [
  { id: 'head', label: 'before it', title: 'Heard before the passage begins as music' },
  { id: 'tail', label: 'after it', title: 'Heard after the passage has ended as music' },
  { id: 'fade_in', label: 'comes in over', title: 'Length of the fade at its beginning' },
  { id: 'fade_out', label: 'goes out over', title: 'Length of the fade at its end' },
] as const
type Field = (typeof FIELDS)[number]['id']

const valueOf = (e: globalThis.Event) => (e.target as HTMLInputElement).value
function typed(field: Field, e: globalThis.Event): void {
  const value = Number(valueOf(e).replace(',', '.'))
  if (!Number.isFinite(value)) return
  const frames = Math.round((Math.max(0, value) / 1000) * store.rateHz)
  const p = props.passage
  const [from, ends] = [placeOf(p, 'from'), p.at + p.range[1]! - p.range[0]!]
  const changed = {
    head: () => withEdge(p, 'from', p.at - frames),
    tail: () => withEdge(p, 'to', ends + frames),
    fade_in: () => withEdge(p, 'faded-in', from + frames),
    fade_out: () => withEdge(p, 'fading-out', placeOf(p, 'to') - frames),
  }
  emit('change', changed[field]())
}
const bar = computed(() => barsBeats(props.passage.at, store.measure.beats, 2).replace('.00', ''))
function toBar(e: globalThis.Event): void {
  const frame = frameOfBar(valueOf(e), store.measure.beats)
  if (frame === null) tellTrouble('A bar is typed as a number, one of its beats as “12 | 3”.')
  else emit('change', withEdge(props.passage, 'at', frame))
}
</script>

<template>
  <section class="looked-at" data-test="passage-card">
    <h2>{{ names }}</h2>
    <p class="soft">
      from
      <button class="plain mono" title="Listen to it where it was played" @click="emit('hear', passage.range[0]!)">
        {{ clock(passage.range[0]!, store.rateHz) }}
      </button>
      to {{ clock(passage.range[1]!, store.rateHz) }}
    </p>
    <p class="row">
      <label for="bar">begins at bar</label>
      <input id="bar" v-typed="bar" class="typed bar" data-test="bar" @change="toBar" />
      <button class="plain" title="P: where the sound stands, on the nearest bar or beat" data-test="to-cursor" @click="emit('here')">
        Here
      </button>
    </p>
    <p v-for="f in FIELDS" :key="f.id" class="row" :title="f.title">
      <label :for="f.id">{{ f.label }}</label>
      <input
        :id="f.id"
        v-typed="fixed(ms(passage[f.id] ?? 0), 1)"
        class="typed"
        inputmode="decimal"
        :data-test="f.id"
        @change="typed(f.id, $event)"
      />
      <span class="soft">ms</span>
    </p>
    <label class="row">
      <input
        type="checkbox"
        :checked="passage.moved"
        data-test="moved-away"
        @change="emit('change', { ...passage, moved: ($event.target as HTMLInputElement).checked })"
      />
      silent where it was played
    </label>
    <p class="row">
      <button class="do" title="D" data-test="again" @click="emit('again')">Once more after it</button>
      <button class="link" title="X" data-test="remove" @click="emit('remove')">Take it out</button>
    </p>
  </section>
</template>

<style scoped>
.row > label {
  min-width: 92px;
}
.looked-at .bar {
  width: 84px;
}
</style>
