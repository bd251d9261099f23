<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { ask, client, type Schemas } from '../../../api/client'
import LanesFold from '../../../lanes/LanesFold.vue'
import type { LaneStroke } from '../../../lanes/strokes'
import { ownFrame, placed } from '../../../lanes/values'
import { useDerived } from '../../../session/derived'
import { useSession } from '../../../session/store'
import type { Heard } from '../../../session/stretches'
import { useKeys } from '../../../shared/keys'
import { tellTrouble } from '../../../shared/notice'
import { typedNumber, vTyped } from '../../../shared/typed'
import { clock, fixed } from '../../../shared/units'
import { useTaking } from '../asked'
import HeldLine from '../HeldLine.vue'
import TimingPage from '../TimingPage.vue'
import { isLowered, loweredOf } from './lowered'

type Noise = Schemas['NoiseFound']

/** Lowered by so much unless one says otherwise, in dB: never silence, which is heard more than a noise. */
const USUAL_DB = 10
const MOST_DB = 40
/** Heard before and after a noise, in seconds. */
const AROUND_S = 0.8

const store = useSession()
const track = computed(() => store.track(store.pair.b))
const path = () => ({ session: store.id })
/** Looked through only when somebody asks; a track that was looked through before answers at once. */
const asked = ref('')
const held = useDerived<{ track: string }, Schemas['NoisesFound']>({
  kind: 'noises',
  what: 'Looking for noises',
  subject: () => (asked.value !== '' && asked.value === track.value?.id ? { track: asked.value } : null),
  read: (of, { signal }) => ask(client.GET('/api/sessions/{session}/noises', { params: { path: path(), query: of }, signal })),
  begin: (of) => ask(client.POST('/api/sessions/{session}/noises', { params: { path: path() }, body: of })),
})
const look = () => (asked.value === track.value?.id ? void held.again() : (asked.value = track.value?.id ?? ''))

const noises = computed(() => held.view.value?.noises ?? [])
const by = ref(USUAL_DB)
/** Chosen by ear, by where they begin in the recording: nothing is lowered that nobody chose. */
const picked = ref(new Set<number>())
watch(
  () => track.value?.id,
  () => (picked.value = new Set()),
)
const done = (n: Noise) => isLowered(track.value?.stretches ?? [], n.range)
const open = computed(() => noises.value.filter((n) => !done(n)))
const wanted = computed(() => open.value.filter((n) => picked.value.has(n.range[0]!)))
const lowered = computed(() => (track.value ? loweredOf(track.value) : []))
function pick(some: readonly Noise[], on: boolean): void {
  const next = new Set(picked.value)
  for (const n of some) {
    if (on) next.add(n.range[0]!)
    else next.delete(n.range[0]!)
  }
  picked.value = next
}
function typed(e: globalThis.Event): void {
  const value = typedNumber(e)
  if (value !== null) by.value = Math.max(0.5, Math.min(MOST_DB, Math.abs(value)))
}

const { take, busy } = useTaking((body: Schemas['Lowered']) =>
  ask(client.POST('/api/sessions/{session}/noises/lower', { params: { path: path() }, body })),
)
const lower = (ranges: number[][]) => track.value && ranges.length > 0 && take({ track: track.value.id, ranges, by_db: by.value })
const lowerAll = () => void lower(wanted.value.slice(0, 200).map((n) => n.range))
/** What somebody marked with the loop, in the recording's own frames: it goes along wherever that passage is played. */
function lowerLoop(): void {
  const loop = store.desk.state.range
  const t = track.value
  if (!loop) return tellTrouble('Mark the noise with the loop first: , begins it where the sound stands, . ends it.')
  const own = [loop.from, loop.to].map((frame) => (t ? ownFrame(t.pieces, frame) : null))
  if (own[0] === null || own[1] === null) return tellTrouble(`Nothing of ${t?.name ?? 'the track'} plays there.`)
  void lower([own as number[]])
}
async function bringBack(h: Heard): Promise<void> {
  const t = track.value
  if (!t) return
  const after = { stretches: t.stretches.filter((s) => s !== h.stretch) }
  await store.decide(`${t.name}: noise at ${clock(h.from, store.rateHz)} as recorded`, [{ track_id: t.id, after }])
}

const placedNow = computed(() => placed(track.value?.pieces ?? []))
/** Where a frame of the recording is heard; where nothing of it plays, as recorded. */
const heardAt = (own: number) => placedNow.value(own) ?? (track.value?.start_frame ?? 0) + own
function hear(from: number): void {
  store.hitShown = from
  void store.playOnce(Math.max(0, from - AROUND_S * store.rateHz), from + AROUND_S * store.rateHz)
}
let stepped = -1
function next(): void {
  if (noises.value.length === 0) return
  stepped = (stepped + 1) % noises.value.length
  hear(heardAt(noises.value[stepped]!.range[0]!))
}
/** The one that was heard last is one, or is none after all. */
function pickHeard(): void {
  const n = noises.value[stepped]
  if (n && !done(n)) pick([n], !picked.value.has(n.range[0]!))
}
const onLanes = computed<LaneStroke[]>(() =>
  noises.value.map((n) => {
    const frame = heardAt(n.range[0]!)
    return { track: store.pair.b, frame, to: frame, kind: done(n) ? ('soft' as const) : ('left' as const) }
  }),
)
const ms = (n: Noise) => fixed((1000 * (n.range[1]! - n.range[0]!)) / store.rateHz, 0)

useKeys('Noises', [
  { key: 'g', label: 'Look for noises before notes', run: look },
  { key: 'n', label: 'Listen to the next noise', run: next },
  { key: 'a', label: 'The one that was heard last is one', run: pickHeard },
  { key: 'x', label: 'Lower what the loop marks', run: lowerLoop },
  { key: 'Enter', label: 'Lower those that are chosen', run: lowerAll },
])
</script>

<template>
  <TimingPage title="Noises" :least="1">
    <template #pickers>
      <label for="track">noises of</label>
      <el-select
        id="track"
        :model-value="track?.id"
        filterable
        size="small"
        class="pick"
        data-test="noisy"
        @change="(id: string) => (id === store.pair.a ? store.choose(store.pair.b, id) : store.choose(undefined, id))"
      >
        <el-option v-for="t in store.inOrder" :key="t.id" :value="t.id" :label="t.name" />
      </el-select>
      <el-button type="primary" size="small" title="G" :disabled="!track" data-test="look" @click="look">Look for them</el-button>
      <label for="by-db">lower by</label>
      <input id="by-db" v-typed="by" class="typed" inputmode="decimal" data-test="by-db" @change="typed" />
      <span class="soft">dB</span>
      <button class="plain" title="X" :disabled="!store.desk.state.range || busy" data-test="lower-loop" @click="lowerLoop">
        Lower the loop
      </button>
    </template>
    <LanesFold :strokes="onLanes" />
    <HeldLine :held="held" :waiting="!held.view.value">
      <p v-if="held.view.value" class="sentence" :class="{ likely: noises.length > 0 }" data-test="noises-sentence">
        {{
          noises.length === 0
            ? `No noise before a note of ${track?.name} was found; what you hear you can mark with the loop.`
            : `${noises.length} may be noises before notes of ${track?.name}: listen, and choose those that are.`
        }}
      </p>
    </HeldLine>
    <div v-if="held.view.value || lowered.length > 0" class="lists">
      <div v-if="noises.length > 0" class="box">
        <table class="sheet" data-test="noises">
          <thead>
            <tr>
              <th>At</th>
              <th class="number">Lasts, ms</th>
              <th class="number" title="Its highs against those of the note that follows">Under the note, dB</th>
              <th></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="n in noises" :key="n.range[0]" :data-lowered="done(n)">
              <td>
                <button class="plain mono" @click="hear(heardAt(n.range[0]!))">{{ clock(heardAt(n.range[0]!), store.rateHz) }}</button>
              </td>
              <td class="number">{{ ms(n) }}</td>
              <td class="number">{{ fixed(n.under_db, 1) }}</td>
              <td>
                <span v-if="done(n)" class="clear">lowered</span>
                <label v-else>
                  <input
                    type="checkbox"
                    :checked="picked.has(n.range[0]!)"
                    @change="pick([n], ($event.target as HTMLInputElement).checked)"
                  />
                  lower it
                </label>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
      <aside class="facts">
        <div v-if="open.length > 0" class="buttons">
          <el-button
            type="primary"
            size="small"
            title="Enter"
            :disabled="busy || wanted.length === 0"
            data-test="lower-all"
            @click="lowerAll"
            >Lower {{ Math.min(wanted.length, 200) }} by {{ fixed(by, by % 1 ? 1 : 0) }} dB</el-button
          >
          <button class="link" data-test="pick-all" @click="pick(open, wanted.length < open.length)">
            {{ wanted.length < open.length ? 'Choose all' : 'Choose none' }}
          </button>
        </div>
        <h2>Lowered</h2>
        <p v-if="lowered.length === 0" class="soft">Nothing yet.</p>
        <ul v-else data-test="lowered">
          <li v-for="h in lowered" :key="h.stretch.from">
            <button class="plain mono" @click="hear(h.from)">{{ clock(h.from, store.rateHz) }}</button>
            {{ fixed(h.stretch.besides.gain_db, 1) }} dB
            <button class="link" data-test="bring-back" @click="bringBack(h)">As recorded</button>
          </li>
        </ul>
        <p class="soft">With fades of 5 ms, in the recording’s own time: wherever that passage is played, it goes along.</p>
      </aside>
    </div>
    <p v-else class="soft intro">
      A finger on the strings, a breath, a click before a note: lowered by some dB it is no longer noticed, and nothing is missing. They are
      looked for as short, soft rises of the highs ahead of a note; what is missed you mark with the loop.
    </p>
  </TimingPage>
</template>

<style scoped>
.lists {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 290px;
  gap: 8px;
}
.box {
  overflow: auto;
  min-height: 0;
}
ul {
  list-style: none;
  margin: 4px 0 8px;
  padding: 0;
  font-size: 13px;
}
@media (max-width: 900px), (max-height: 560px) {
  .lists {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
