<script setup lang="ts">
import { computed, ref } from 'vue'
import { ask, client, type Track, type TrackPatch } from '../../api/client'
import { useSession } from '../../session/store'
import { useKeys } from '../../shared/keys'
import { tellTrouble } from '../../shared/notice'
import { vTyped } from '../../shared/typed'
import { bytes, clock } from '../../shared/units'
import { useUploads, type Upload } from '../../session/uploading'

const store = useSession()
const uploads = useUploads()
const picker = ref<HTMLInputElement | null>(null)

const roles = [
  { value: 'near', label: 'near' },
  { value: 'main', label: 'main pair' },
  { value: 'room', label: 'room' },
  { value: 'direct', label: 'direct' },
  { value: 'print', label: 'print' },
  { value: 'rendered', label: 'rendered' },
  { value: 'unknown', label: 'not said' },
]
const sides = [
  { value: '', label: '–' },
  { value: 'left', label: 'left' },
  { value: 'centre', label: 'centre' },
  { value: 'right', label: 'right' },
]

function onPick(e: Event): void {
  const input = e.target as HTMLInputElement
  uploads.add(store.id, input.files ?? [], store.detail?.uploads ?? [])
  input.value = ''
}

const mine = computed(() => uploads.list.filter((u) => u.session === store.id))

/** What became of a file, also after it arrived: a file that cannot be read says why in its own row. */
function told(u: Upload): { text: string; bad: boolean } {
  if (u.state === 'failed') return { text: u.message, bad: true }
  if (u.state === 'waiting' || u.state === 'sending')
    return { text: u.away ? 'the server is away; it goes on by itself' : 'waiting', bad: false }
  if (u.state !== 'sent') return { text: u.state, bad: false }
  const job = store.jobs.get(u.job)
  const note = (job?.result as { note?: string } | null)?.note
  if (job?.state === 'failed') return { text: job.error ?? 'could not be read', bad: true }
  if (job?.state === 'done') return { text: note ?? 'in the session', bad: false }
  if (job?.state === 'cancelled') return { text: 'cancelled', bad: false }
  return { text: 'received; being read', bad: false }
}

function edit(track: Track, after: TrackPatch, label: string): void {
  void store.decide(label, [{ track_id: track.id, after }])
}

function rename(track: Track, field: 'name' | 'source', e: Event): void {
  const input = e.target as HTMLInputElement
  const value = input.value.trim()
  if (value === track[field]) return
  if (field === 'name' && value === '') {
    input.value = track.name
    return
  }
  edit(track, { [field]: value }, field === 'name' ? `${track.name} is called ${value}` : `${track.name} heard ${value || 'nothing named'}`)
}

const picked = ref(new Set<string>())
const chosen = computed(() => store.tracks.filter((t) => picked.value.has(t.id)))
/** What a track is linked with, besides the channels of its own file. */
const mates = (t: Track) => store.tracks.filter((o) => o.id !== t.id && t.link_id && o.link_id === t.link_id && o.recording !== t.recording)
const apart = computed(() => chosen.value.some((t) => mates(t).length > 0))
const linkable = computed(() => chosen.value.length === 2 && chosen.value.every((t) => t.channels === 1))

function pick(track: Track, on: boolean): void {
  const now = new Set(picked.value)
  if (on) now.add(track.id)
  else now.delete(track.id)
  picked.value = now
}

/** Two picked mono tracks become the halves of a pair, or are taken apart. */
async function link(): Promise<void> {
  const [a, b] = chosen.value
  if (apart.value) {
    const all = store.tracks.filter((t) => chosen.value.some((c) => c.link_id && c.link_id === t.link_id))
    const names = all.map((t) => t.name).join(' and ')
    if (
      await store.decide(
        `${names} are no pair`,
        all.map((t) => ({ track_id: t.id, after: { link: 'none' } })),
      )
    )
      picked.value = new Set()
  } else if (linkable.value && a && b) {
    const sides = a.side === '' && b.side === '' ? [{ side: 'left' }, { side: 'right' }] : [{}, {}]
    const changes = [a, b].map((t, i) => ({ track_id: t.id, after: { link: a.id, ...sides[i] } }))
    if (await store.decide(`${a.name} and ${b.name} are a pair`, changes)) picked.value = new Set()
  } else tellTrouble('Pick two tracks of one channel each to link them, or a linked one to take it apart.')
}

useKeys('Recordings', [{ key: 'w', label: 'Link the two picked tracks, or take them apart', run: () => void link() }])

/** A decision like any other: undo brings the track back. */
async function remove(track: Track): Promise<void> {
  try {
    await ask(client.DELETE('/api/sessions/{session}/tracks/{track}', { params: { path: { session: store.id, track: track.id } } }))
    await store.reload()
  } catch (e) {
    tellTrouble((e as Error).message)
  }
}
</script>

<template>
  <div class="view">
    <div class="top">
      <h1>Recordings</h1>
      <span class="soft">What each microphone heard and where it stood. Guessed from the file names; change what is wrong.</span>
      <span class="fill" />
      <label class="setting">
        Air
        <input
          class="bare number"
          type="number"
          min="-50"
          max="60"
          step="1"
          :value="store.detail?.session.temperature_c"
          aria-label="Air temperature in °C"
          @change="store.change({ temperature_c: Number(($event.target as HTMLInputElement).value) })"
        />
        °C
      </label>
      <label class="setting">
        Tempo
        <input
          class="bare number"
          type="number"
          min="20"
          max="400"
          step="1"
          :value="store.detail?.session.bpm"
          aria-label="Tempo in quarter notes a minute"
          @change="store.change({ bpm: Number(($event.target as HTMLInputElement).value) })"
        />
        BPM
      </label>
      <el-button v-if="chosen.length > 0" size="small" :disabled="!linkable && !apart" data-test="link" @click="link()">
        {{ apart ? 'Unlink' : 'Link as a pair' }}
      </el-button>
      <el-button type="primary" size="small" @click="picker?.click()">Bring in files…</el-button>
      <input ref="picker" type="file" multiple hidden data-test="files" @change="onPick" />
    </div>

    <section v-if="mine.length > 0" class="uploads" aria-label="Files on their way">
      <div class="total">
        <b>{{ uploads.busy.value ? 'Bringing in' : 'Sent' }} {{ mine.length }} {{ mine.length === 1 ? 'file' : 'files' }}</b>
        <el-progress :percentage="Math.round(uploads.total.value * 100)" :stroke-width="8" class="bar" aria-label="All files" />
        <button v-if="uploads.busy.value" class="plain" @click="uploads.cancelAll()">Cancel all</button>
        <button v-else class="plain" @click="uploads.clear()">Close</button>
      </div>
      <ul>
        <li v-for="u in mine" :key="u.key" :data-upload="u.name">
          <span class="file">{{ u.name }}</span>
          <span class="soft">{{ bytes(u.bytes) }}</span>
          <el-progress
            v-if="u.state === 'sending' && !u.away"
            :percentage="Math.round(u.part * 100)"
            :stroke-width="6"
            class="bar"
            :aria-label="`${u.name} on its way`"
          />
          <span v-else :class="told(u).bad ? 'caution' : 'soft'" data-test="told">{{ told(u).text }}</span>
          <button v-if="store.jobs.get(u.job)?.state === 'failed'" class="plain" @click="store.settleJob(u.job, 'retry')">Try again</button>
          <button v-if="u.state === 'waiting' || u.state === 'sending'" class="plain" @click="uploads.cancel(u)">Cancel</button>
        </li>
      </ul>
    </section>

    <div v-if="store.tracks.length === 0" class="empty">
      <h2>No recordings yet</h2>
      <p>
        Drop files here, or <button class="link" @click="picker?.click()">choose them</button>: every microphone, pickup and machine that
        heard the same event. WAV, BWF, RF64, FLAC and AIFF are read, 8 to 384 kHz, up to 16 channels.
      </p>
      <p class="soft">Just looking? The demo session Harbour Hall is on the <router-link to="/">first page</router-link>.</p>
    </div>
    <table v-else class="sheet">
      <thead>
        <tr>
          <th><span class="unseen">Pick</span></th>
          <th title="The anchor stays as it is; others are brought to it">Anchor</th>
          <th>Name</th>
          <th>Role</th>
          <th>Source</th>
          <th>Side</th>
          <th>Linked with</th>
          <th>File</th>
          <th class="number">Ch.</th>
          <th>Coding</th>
          <th class="number">Begins</th>
          <th class="number">Length</th>
          <th><span class="unseen">Take out</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="t in store.tracks" :key="t.id" :data-track="t.name">
          <td class="middle">
            <input
              type="checkbox"
              :checked="picked.has(t.id)"
              :aria-label="`Pick ${t.name}`"
              @change="pick(t, ($event.target as HTMLInputElement).checked)"
            />
          </td>
          <td class="middle">
            <input
              type="radio"
              name="anchor"
              :checked="t.id === store.anchorId"
              :aria-label="`${t.name} is the anchor`"
              @change="store.change({ anchor_id: t.id })"
            />
          </td>
          <td>
            <input v-typed="t.name" class="bare" maxlength="200" :aria-label="`Name of ${t.name}`" @change="rename(t, 'name', $event)" />
          </td>
          <td>
            <select
              class="bare"
              :value="t.role"
              :aria-label="`Role of ${t.name}`"
              @change="
                edit(t, { role: ($event.target as HTMLSelectElement).value }, `${t.name} is ${($event.target as HTMLSelectElement).value}`)
              "
            >
              <option v-for="r in roles" :key="r.value" :value="r.value">{{ r.label }}</option>
            </select>
          </td>
          <td>
            <input
              v-typed="t.source"
              class="bare source"
              maxlength="120"
              :aria-label="`Source of ${t.name}`"
              @change="rename(t, 'source', $event)"
            />
          </td>
          <td>
            <select
              class="bare"
              :value="t.side"
              :aria-label="`Side of ${t.name}`"
              @change="
                edit(
                  t,
                  { side: ($event.target as HTMLSelectElement).value },
                  `${t.name} is on side ${($event.target as HTMLSelectElement).value || 'none'}`,
                )
              "
            >
              <option v-for="s in sides" :key="s.value" :value="s.value">{{ s.label }}</option>
            </select>
          </td>
          <td class="soft" data-test="linked">
            {{
              mates(t)
                .map((m) => m.name)
                .join(', ')
            }}
          </td>
          <td class="file" :title="t.file_name">{{ t.file_name }}</td>
          <td class="number">
            {{ t.channel }}<span class="soft">/{{ t.channels }}</span>
          </td>
          <td :title="t.notes.join('\n')">
            {{ t.coding }}<template v-if="t.file_rate_hz !== store.rateHz">, {{ t.file_rate_hz / 1000 }} kHz</template>
            <b v-if="t.notes.length > 0" class="caution" :aria-label="t.notes.join('; ')"> ⚑ {{ t.notes.length }}</b>
          </td>
          <td class="number mono">{{ clock(t.start_frame, store.rateHz) }}</td>
          <td class="number mono">{{ clock(t.frames, store.rateHz).slice(3) }}</td>
          <td><button class="plain" :title="`Take ${t.name} out`" @click="remove(t)">✕</button></td>
        </tr>
      </tbody>
    </table>
    <ul v-if="store.tracks.some((t) => t.notes.length > 0)" class="notes">
      <li v-for="t in store.tracks.filter((x) => x.notes.length > 0 && x.channel === 1)" :key="t.id">
        <b class="caution">⚑ {{ t.file_name }}</b> {{ t.notes.join('; ') }}.
      </li>
    </ul>
  </div>
</template>

<style scoped>
.view {
  position: relative;
}
.top {
  display: flex;
  align-items: center;
  gap: 12px;
  margin-bottom: 10px;
  white-space: nowrap;
}
.top {
  flex-wrap: nowrap;
}
.top .soft {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
}
.fill {
  flex: 1;
}
.setting {
  display: flex;
  align-items: center;
  gap: 4px;
}
.setting .number {
  width: 58px;
  min-width: 0;
  text-align: right;
  border-color: var(--line);
}
.bare {
  font: inherit;
  color: inherit;
  background: transparent;
  border: 1px solid transparent;
  border-radius: 3px;
  padding: 1px 3px;
  width: 100%;
  min-width: 92px;
  box-sizing: border-box;
}
.bare.source {
  min-width: 80px;
}
select.bare {
  width: auto;
  min-width: 0;
}
select.bare option {
  background: var(--panel);
  color: var(--ink);
}
.bare:hover,
.bare:focus {
  border-color: var(--line);
  background: var(--paper);
}
td.file {
  max-width: 170px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.middle {
  text-align: center;
}
input[type='radio'] {
  accent-color: var(--land);
}
.uploads {
  border: 1px solid var(--line);
  background: var(--panel);
  padding: 8px 12px;
  margin-bottom: 10px;
}
.uploads ul {
  list-style: none;
  margin: 6px 0 0;
  padding: 0;
  max-height: 150px;
  overflow: auto;
}
.total,
.uploads li {
  display: flex;
  gap: 12px;
  align-items: center;
  min-height: 24px;
}
.uploads .file {
  min-width: 180px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.bar {
  width: 220px;
}
.empty {
  border: 2px dashed var(--line);
  border-radius: 8px;
  padding: 60px 20px;
  text-align: center;
}
.link {
  font: inherit;
  color: var(--depth);
  text-decoration: underline;
  background: none;
  border: 0;
  padding: 0;
  cursor: pointer;
}
.notes {
  padding-left: 18px;
}
</style>
