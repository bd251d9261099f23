<script setup lang="ts">
import { computed, onMounted, ref, watch } from 'vue'
import { ask, client, type Job, type Track } from '../../api/client'
import { heardStretches, stretchText } from '../../session/stretches'
import { useSession } from '../../session/store'
import { tell, tellTrouble } from '../../shared/notice'
import { bytes, fixed, samples, span } from '../../shared/units'
import { movedBy, valuesText } from './values'

interface DeliveredFile {
  name: string
  bytes: number
  clipped: number
  left_out_frames: number
}

const store = useSession()
const depth = ref<'int24' | 'float32'>('int24')
const chosenStart = ref<'session' | 'earliest' | null>(null)
/** Tracks carry something for the latency of their paths. */
const paths = computed(() => store.tracks.some((t) => t.path_frames !== 0))
/** The first frame that sounds, where a path pulls a track before the session's beginning; else 0. */
const before = computed(() => (paths.value ? Math.min(0, ...store.tracks.flatMap((t) => t.pieces.map((p) => p.from))) : 0))
/** What is pulled before the session's beginning is kept unless somebody says otherwise. */
const start = computed(() => chosenStart.value ?? (before.value < 0 ? 'earliest' : 'session'))
const deliveries = ref<Job[]>([])
const chosen = ref(new Set<string>())
const busy = computed(() => store.running.some((j) => j.kind === 'deliver'))

async function load(): Promise<void> {
  try {
    deliveries.value = await ask(client.GET('/api/sessions/{session}/deliveries', { params: { path: { session: store.id } } }))
  } catch (e) {
    tellTrouble((e as Error).message)
  }
}
onMounted(load)
watch(busy, (now) => {
  if (!now) void load()
})

const files = (job: Job) => ((job.result as { files?: DeliveredFile[] } | null)?.files ?? []) as DeliveredFile[]
const url = (job: Job, file: DeliveredFile) => `/api/deliveries/${job.id}/files/${encodeURIComponent(file.name)}`

function remark(f: DeliveredFile): string {
  const said: string[] = []
  if (f.clipped > 0) said.push(`${f.clipped} samples beyond full scale were held there`)
  if (f.left_out_frames > 0) said.push(`the first ${f.left_out_frames} samples lie before the session’s beginning and were left out`)
  return said.join('; ')
}

async function write(): Promise<void> {
  try {
    await ask(
      client.POST('/api/sessions/{session}/deliveries', {
        params: { path: { session: store.id } },
        body: { depth: depth.value, start: start.value, tracks: [...chosen.value] },
      }),
    )
  } catch (e) {
    tellTrouble((e as Error).message)
  }
}

function toggle(t: Track): void {
  const next = new Set(chosen.value)
  for (const mate of store.tracks.filter((x) => x.id === t.id || (t.link_id && x.link_id === t.link_id))) {
    if (chosen.value.has(t.id)) next.delete(mate.id)
    else next.add(mate.id)
  }
  chosen.value = next
}

async function copy(): Promise<void> {
  try {
    await navigator.clipboard.writeText(valuesText(store.tracks, store.measure))
    tell('The values are on the clipboard, tab-separated.')
  } catch {
    tellTrouble('The browser does not let the page copy; the sheet of values is in every delivery.')
  }
}
</script>

<template>
  <div class="view deliver">
    <section>
      <div class="top">
        <h1>Deliver</h1>
        <span class="soft">One decision, one number: what an engineer types elsewhere.</span>
        <span class="fill" />
        <el-button size="small" @click="copy">Copy values</el-button>
      </div>
      <table class="sheet">
        <thead>
          <tr>
            <th title="None chosen: all are written">Write</th>
            <th>Track</th>
            <th>Source</th>
            <th class="number">Offset, samples</th>
            <th class="number">ms</th>
            <th v-if="paths" class="number" title="Part of the offset that makes up for the latency of its path">for its path</th>
            <th class="number">Distance</th>
            <th>Polarity</th>
            <th class="number">Gain, dB</th>
            <th>File</th>
          </tr>
        </thead>
        <tbody>
          <template v-for="t in store.tracks" :key="t.id">
            <tr :class="{ changed: movedBy(t) !== 0 || t.correction.invert || t.correction.gain_db !== 0 }">
              <td><input type="checkbox" :checked="chosen.has(t.id)" :aria-label="`Write ${t.name}`" @change="toggle(t)" /></td>
              <td>{{ t.name }}</td>
              <td>{{ t.source }}</td>
              <td class="number mono">{{ samples(movedBy(t)) }}</td>
              <td class="number mono">{{ fixed((movedBy(t) / store.rateHz) * 1000, 3) }}</td>
              <td v-if="paths" class="number mono" data-test="for-path">{{ samples(t.path_frames) }}</td>
              <td class="number mono">
                {{ movedBy(t) === 0 ? '0' : span(movedBy(t), 'distance', store.measure) }}
              </td>
              <td :class="t.correction.invert ? 'caution' : ''">{{ t.correction.invert ? '▼ inverted' : '▲ upright' }}</td>
              <td class="number mono">{{ fixed(t.correction.gain_db, 1) }}</td>
              <td class="soft">{{ t.file_name }}</td>
            </tr>
            <tr v-for="s in heardStretches(t)" :key="t.id + s.stretch.from" class="stretch" data-test="stretch">
              <td />
              <td :colspan="paths ? 9 : 8">
                repaired <span class="mono">{{ stretchText(s, store.measure) }}</span>
              </td>
            </tr>
          </template>
        </tbody>
      </table>
    </section>
    <aside>
      <h2>Write files</h2>
      <p>
        <span class="label">Coding</span>
        <span class="choice">
          <button :aria-pressed="depth === 'int24'" @click="depth = 'int24'">24-bit</button>
          <button :aria-pressed="depth === 'float32'" data-test="float32" @click="depth = 'float32'">32-bit float</button>
        </span>
      </p>
      <p>
        <span class="label">Begin at</span>
        <span class="choice">
          <button :aria-pressed="start === 'session'" @click="chosenStart = 'session'">session’s start</button>
          <button :aria-pressed="start === 'earliest'" data-test="earliest" @click="chosenStart = 'earliest'">earliest sound</button>
        </span>
      </p>
      <p v-if="before < 0" :class="start === 'session' ? 'caution' : ''" role="status" data-test="before-zero">
        Tracks begin up to {{ span(-before, 'ms', store.measure) }} before the session’s start:
        {{ start === 'earliest' ? 'the files begin there, and their time stamps say so.' : 'from there to the start they are left out.' }}
      </p>
      <p class="soft">
        {{ chosen.size === 0 ? 'All tracks' : `${chosen.size} tracks` }}, every file from the same moment and of the same length, with a
        time stamp; channels of one recording stay in one file.
        {{ depth === 'int24' ? 'Dither where samples fall between steps; whole offsets stay bit-exact.' : 'Bit for bit what is heard.' }}
      </p>
      <el-button type="primary" :disabled="store.tracks.length === 0 || busy" data-test="write" @click="write">
        {{ busy ? 'Writing …' : 'Write files' }}
      </el-button>
      <h2 class="done">Delivered</h2>
      <p v-if="deliveries.length === 0" class="soft">Nothing yet.</p>
      <section v-for="(job, i) in deliveries" :key="job.id" class="delivery" :data-test="i === 0 ? 'delivery' : undefined">
        <p>
          <b>{{ new Date(job.updated_ms).toLocaleString('en-GB') }}</b>
          <a :href="`/api/deliveries/${job.id}/archive.zip`" download data-test="archive">All as one archive</a>
        </p>
        <details :open="i === 0">
          <summary>{{ files(job).length }} files</summary>
          <ul>
            <li v-for="f in files(job)" :key="f.name">
              <a :href="url(job, f)" download :data-file="f.name">{{ f.name }}</a> <span class="soft">{{ bytes(f.bytes) }}</span>
              <div v-if="remark(f)" class="remark">{{ remark(f) }}</div>
            </li>
          </ul>
        </details>
      </section>
    </aside>
  </div>
</template>

<style scoped>
.deliver {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 330px;
  gap: 16px;
}
.deliver > section {
  overflow: auto;
}
.top {
  display: flex;
  align-items: center;
  gap: 12px;
  margin-bottom: 10px;
  white-space: nowrap;
}
.fill {
  flex: 1;
}
@media (max-width: 900px), (max-height: 560px) {
  .deliver {
    grid-template-columns: minmax(0, 1fr);
  }
}
tr.changed td {
  font-weight: 600;
}
.stretch td {
  color: var(--soft);
  border-top: none;
}
aside {
  background: var(--panel);
  border: 1px solid var(--line);
  padding: 12px 14px;
  overflow: auto;
}
aside p {
  margin: 8px 0;
}
.label {
  display: inline-block;
  width: 66px;
  color: var(--soft);
}
.done {
  margin-top: 20px;
  border-top: 1px solid var(--line);
  padding-top: 10px;
}
.delivery p {
  display: flex;
  justify-content: space-between;
}
ul {
  margin: 4px 0;
  padding-left: 18px;
}
.remark {
  font-size: 12px;
  color: var(--soft);
}
</style>
