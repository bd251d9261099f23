<script setup lang="ts">
import { computed, ref, useTemplateRef, watch } from 'vue'
import LanesFold from '../../lanes/LanesFold.vue'
import SteppedPlot from '../../plot/SteppedPlot.vue'
import type { Surface } from '../../plot/surface'
import { useAddress } from '../../session/address'
import { useSession } from '../../session/store'
import { useKeys } from '../../shared/keys'
import { palette } from '../../shared/theme'
import { clock, fixed, span } from '../../shared/units'
import { keyName, paintScatter } from './scatter'
import { useNotes } from './useNotes'

const store = useSession()
const address = useAddress()
const wanted = { score: address.read('score') ?? '', track: address.read('track') ?? '' }
const { scores, score, track, chosen, held, bring, remove, takeTempo, take, listed } = useNotes(wanted)
const view = held.view
const file = useTemplateRef<HTMLInputElement>('file')
const note = ref<number | null>(null)
const busy = ref(false)
watch([score, track], ([s, t]) => address.write({ score: s?.id, track: t?.id }))
watch(view, () => (note.value = null))

const paint = (s: Surface, looked: number | null) => (view.value ? paintScatter(s, palette(), view.value, store.rateHz, looked).dots : [])

const value = computed(() => {
  const v = view.value
  if (!v?.note_value) return ''
  const rest = v.rest_ms ?? 0
  return ` It is ${v.note_value} at ${fixed(v.bpm, v.bpm % 1 ? 2 : 0)}, ${Math.abs(rest) < 0.05 ? 'exactly' : `rest ${fixed(rest, 1)} ms`}.`
})
const sentence = computed(() => {
  const [v, t, s] = [view.value, track.value, score.value]
  if (!v || !t || !s) return ''
  if (v.latency_ms === null || v.latency_ms === undefined) return `${t.name} against ${s.name}: ${v.reason}.`
  const heard = v.heard_ms === null || v.heard_ms === undefined ? '' : `, and is heard ${fixed(v.heard_ms, 2)} ms late`
  const amount = span(
    Math.round((v.latency_ms / 1000) * store.rateHz * 10) / 10,
    store.unit === 'ms' ? 'samples' : store.unit,
    store.measure,
  )
  return `${t.name} starts ${fixed(v.latency_ms, 2)} ms (${amount}) later than its notes${heard} – ${v.verdict}; ${v.reason}.${value.value}`
})
function told(looked: number | null): string {
  const n = looked === null ? undefined : view.value?.notes[looked]
  if (!n) return 'Click, or arrow keys: one note'
  const late = n.late_ms === null || n.late_ms === undefined ? 'cannot be told' : `${fixed(n.late_ms, 2)} ms later`
  return `${keyName(n.key)} at ${clock(n.frame, store.rateHz)}: ${late}`
}

/** To a note, where it sounds. */
function go(index: number): void {
  const n = view.value?.notes[index]
  if (n) store.transport?.seek(Math.max(0, Math.round(n.frame + ((n.late_ms ?? 0) / 1000) * store.rateHz)))
}

async function chose(e: Event): Promise<void> {
  const input = e.target as HTMLInputElement
  const files = [...(input.files ?? [])]
  input.value = ''
  for (const one of files) await bring(one)
}

async function takeOut(): Promise<void> {
  busy.value = true
  await take()
  busy.value = false
}
const proposes = computed(
  () => view.value !== null && view.value.offset_frames !== null && view.value.offset_frames !== undefined && !view.value.taken,
)

useKeys('Rendered', [
  { key: 'n', label: 'Bring in a file of notes', run: () => file.value?.click() },
  { key: 'Enter', label: 'Take the latency out', run: () => proposes.value && held.current.value && void takeOut() },
])
</script>

<template>
  <div class="notes filled">
    <div class="pickers">
      <h1>Rendered</h1>
      <template v-if="scores.length > 0">
        <label for="track">Track</label>
        <el-select
          id="track"
          :model-value="track?.id"
          size="small"
          class="pick"
          filterable
          placeholder="which renders them"
          data-test="rendered"
          @change="(id: string) => (chosen = { ...chosen, track: id })"
        >
          <el-option v-for="t in store.inOrder" :key="t.id" :value="t.id" :label="t.name" />
        </el-select>
        <label for="score">against</label>
        <el-select
          id="score"
          :model-value="score?.id"
          size="small"
          class="pick"
          data-test="score"
          @change="(id: string) => (chosen = { ...chosen, score: id })"
        >
          <el-option v-for="s in scores" :key="s.id" :value="s.id" :label="s.name" />
        </el-select>
        <span v-if="score" class="soft"
          >{{ score.notes }} notes, {{ fixed(score.seconds, 1) }} s, {{ fixed(score.bpm, score.bpm % 1 ? 2 : 0) }} a minute</span
        >
        <span class="fill" />
        <button
          v-if="score"
          class="plain"
          data-test="take-tempo"
          title="Bars and beats of the session follow its tempo and metre, from bar 1 on"
          @click="takeTempo(score.id)"
        >
          Use its tempo
        </button>
        <button v-if="score" class="plain" data-test="remove-score" @click="remove(score.id)">Remove the notes</button>
      </template>
      <button class="plain" title="Standard MIDI Files of format 0 or 1 (N)" data-test="bring-notes" @click="file?.click()">
        Bring in notes
      </button>
      <input ref="file" type="file" accept=".mid,.midi,.smf,audio/midi" multiple hidden data-test="notes-file" @change="chose" />
    </div>
    <p v-if="listed && scores.length === 0" class="sentence">
      How late is an instrument that a computer rendered from notes? Bring in the notes as a Standard MIDI File: they begin at bar 1 of the
      session, and each is compared with what sounds.
    </p>
    <template v-else-if="score">
      <LanesFold />
      <p v-if="held.trouble.value" class="sentence undecided" role="alert">{{ held.trouble.value }}</p>
      <p v-else-if="!track" class="sentence">Choose the track that renders these notes.</p>
      <p v-else-if="held.job.value && !view" class="sentence" role="status">
        {{ held.job.value.title }}: {{ Math.round(held.job.value.progress * 100) }} %
      </p>
      <p
        v-else-if="view"
        class="sentence"
        :class="view.verdict"
        data-test="notes-sentence"
        :data-verdict="view.verdict"
        :data-late="view.latency_ms"
      >
        {{ sentence }}
      </p>
      <div v-if="view" class="plots">
        <SteppedPlot
          v-model="note"
          title="Note by note"
          label="Notes"
          :count="view.notes.length"
          :paint="paint"
          :of="view"
          :told="told"
          data-plot="notes"
          @go="go"
        />
        <aside class="facts">
          <h2>Latency</h2>
          <dl>
            <dt>starts</dt>
            <dd class="mono">
              {{ view.latency_ms === null || view.latency_ms === undefined ? 'undecided' : `${fixed(view.latency_ms, 2)} ms` }}
            </dd>
            <dt>is heard</dt>
            <dd class="mono">
              {{ view.heard_ms === null || view.heard_ms === undefined ? 'undecided' : `${fixed(view.heard_ms, 2)} ms` }}
            </dd>
            <dt>spread</dt>
            <dd class="mono">{{ view.spread_ms === null || view.spread_ms === undefined ? '' : `${fixed(view.spread_ms, 2)} ms` }}</dd>
            <dt>unsure by</dt>
            <dd class="mono">{{ fixed(view.uncertain_ms, 1) }} ms</dd>
            <dt>note value</dt>
            <dd class="mono">{{ view.note_value ?? 'none' }}</dd>
          </dl>
          <p v-if="view.taken" class="clear">
            Taken out: it plays {{ span(Math.abs(view.offset_frames ?? 0), store.unit, store.measure) }}
            {{ (view.offset_frames ?? 0) < 0 ? 'earlier' : 'later' }}.
          </p>
          <template v-else-if="proposes">
            <p>
              Proposed: it plays {{ span(Math.abs(view.offset_frames!), store.unit, store.measure) }}
              {{ view.offset_frames! < 0 ? 'earlier' : 'later' }}.
            </p>
            <el-button
              type="primary"
              size="small"
              :disabled="busy || !held.current.value"
              title="Enter"
              data-test="take-notes"
              @click="takeOut"
              >Take it out</el-button
            >
          </template>
          <p class="soft">One delay lies on a line; a played part scatters about it. Notes at the foot could not be told.</p>
        </aside>
      </div>
    </template>
  </div>
</template>

<style scoped>
.fill {
  flex: 1;
}
.plots {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 250px;
  gap: 8px;
}
@media (max-width: 900px), (max-height: 560px) {
  .plots {
    grid-template-columns: minmax(0, 1fr);
    grid-auto-rows: minmax(240px, auto);
  }
}
</style>
