<script setup lang="ts">
import { useSession } from '../session/store'
import { clock } from '../shared/units'

/** Marks with their names, and how the loop is begun. */
const store = useSession()
const desk = store.desk

function rename(frame: number, name: string): void {
  desk.change(
    { markers: desk.state.markers.map((m) => (m.frame === frame ? { ...m, name: name.trim() || m.name } : m)) },
    `Mark ${name.trim()} named`,
  )
}

function remove(frame: number): void {
  const name = desk.state.markers.find((m) => m.frame === frame)?.name ?? ''
  desk.change({ markers: desk.state.markers.filter((m) => m.frame !== frame) }, `${name} removed`)
}

function preRoll(text: string): void {
  const seconds = Number(text.replace(',', '.'))
  const range = desk.state.range
  if (range && Number.isFinite(seconds)) desk.setRange({ ...range, pre_roll_s: Math.max(0, Math.min(30, seconds)) })
}

const valueOf = (e: Event) => (e.target as HTMLInputElement).value
</script>

<template>
  <div class="marks">
    <p v-if="desk.state.markers.length === 0" class="soft">No marks yet: K marks the place that sounds.</p>
    <div v-for="m in desk.state.markers" :key="m.frame" class="mark" :data-mark="m.name">
      <button class="plain mono" title="go there" @click="store.transport?.seek(m.frame)">{{ clock(m.frame, store.rateHz) }}</button>
      <input
        class="typed"
        maxlength="200"
        :aria-label="`name of the mark at ${clock(m.frame, store.rateHz)}`"
        :value="m.name"
        @change="rename(m.frame, valueOf($event))"
      />
      <button class="plain" :title="`remove ${m.name}`" data-test="remove-mark" @click="remove(m.frame)">×</button>
    </div>
    <div class="mark">
      <span>Bar 1 begins at {{ clock(store.detail?.session.first_beat_frame ?? 0, store.rateHz) }}</span>
      <button class="plain" title="where the cursor stands (key 1)" data-test="first-beat" @click="store.beginBar()">at the cursor</button>
    </div>
    <label class="mark">
      <input
        class="typed short"
        type="number"
        min="1"
        max="32"
        step="1"
        data-test="beats-a-bar"
        :value="store.detail?.session.beats_a_bar"
        @change="store.change({ beats_a_bar: Number(valueOf($event)) })"
      />
      beats a bar
    </label>
    <template v-if="desk.state.range">
      <div class="mark">
        <span>Loop {{ clock(desk.state.range.from, store.rateHz) }} to {{ clock(desk.state.range.to, store.rateHz) }}</span>
        <button class="plain" title="no loop" data-test="remove-loop" @click="desk.setRange(null)">×</button>
      </div>
      <label class="mark"
        >Begun <input class="typed short" data-test="pre-roll" :value="desk.state.range.pre_roll_s" @change="preRoll(valueOf($event))" /> s
        before it</label
      >
    </template>
  </div>
</template>

<style scoped>
.marks {
  max-height: 260px;
  overflow: auto;
  font-size: 12px;
}
.mark {
  display: flex;
  align-items: center;
  gap: 6px;
  margin-bottom: 4px;
}
.typed {
  flex: 1;
  min-width: 0;
  font: 12px var(--sans);
  color: var(--ink);
  background: var(--paper);
  border: 1px solid var(--line);
}
.short {
  flex: none;
  width: 44px;
}
</style>
