<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { ask, client, sendFile, type Schemas } from '../../api/client'
import { tellTrouble } from '../../shared/notice'
import { fixed } from '../../shared/units'
import type { PathStage } from './map'

type Probe = Schemas['ProbeReport']

/** A stage whose true latency is measured; null: closed. */
const props = defineProps<{ stage: { node: string; at: number; stage: PathStage; name: string } | null; rateHz: number }>()
const emit = defineEmits<{ measured: [change: Partial<PathStage>, label: string]; close: [] }>()

const devices = ref<Schemas['StandIn'][]>([])
const device = ref<number | null>(null)
const probes = ref<Probe[]>([])
const taken = ref(0)
const busy = ref(false)
const found = computed(() => probes.value[taken.value] ?? null)
const answered = ref(false)

watch(
  () => props.stage,
  async (stage) => {
    probes.value = []
    answered.value = false
    if (!stage) return
    await told(async () => (devices.value = await ask(client.GET('/api/probe/devices'))))
    const alike = devices.value.findIndex((d) => d.name.toLowerCase() === stage.name.toLowerCase())
    device.value = alike >= 0 ? alike : null
  },
)

async function told(work: () => Promise<unknown>): Promise<void> {
  busy.value = true
  try {
    await work()
  } catch (e) {
    tellTrouble((e as Error).message)
  }
  busy.value = false
}

function sendThrough(): Promise<void> {
  return told(async () => {
    const path = { device: String(device.value) }
    probes.value = [await ask(client.POST('/api/probe/devices/{device}', { params: { path } }))]
    taken.value = 0
    answered.value = true
  })
}

async function bring(e: Event): Promise<void> {
  const input = e.target as HTMLInputElement
  const file = input.files?.[0]
  input.value = ''
  if (!file) return
  await told(async () => {
    const back = await sendFile<Probe[]>('/api/probe/read', file)
    probes.value = back
    taken.value = Math.max(
      0,
      back.findIndex((p) => p.verdict === 'solid'),
    )
    answered.value = true
  })
}

const WIDE = 420
const HIGH = 90
/** The response by third-octave, ±12 dB about its median. */
const line = computed(() => {
  const bands = found.value?.response.filter((b) => b.hz >= 25) ?? []
  if (bands.length === 0) return ''
  const sorted = bands.map((b) => b.db).sort((a, b) => a - b)
  const middle = sorted[Math.floor(sorted.length / 2)]!
  const x = (hz: number) => (Math.log(hz / 25) / Math.log(800)) * WIDE
  const y = (db: number) => HIGH / 2 - (Math.max(-12, Math.min(12, db - middle)) / 24) * HIGH
  return bands.map((b, i) => `${i === 0 ? 'M' : 'L'}${x(b.hz).toFixed(1)} ${y(b.db).toFixed(1)}`).join('')
})

const ms = (p: Probe) => `${fixed(p.latency_ms, 3)} ms`
function keep(use: boolean): void {
  const p = found.value
  const s = props.stage
  if (!p || !s) return
  const measured = Number(p.latency_ms.toFixed(4))
  const change: Partial<PathStage> = use
    ? { measured_ms: measured, latency_ms: Math.max(0, measured), latency_samples: undefined, at_rate_hz: undefined }
    : { measured_ms: measured }
  emit('measured', change, `Paths: ${s.name} of ${s.node} measured, ${ms(p)}`)
}
</script>

<template>
  <el-dialog
    :model-value="stage !== null"
    :title="stage ? `How late is ${stage.name} of ${stage.node} truly?` : ''"
    width="500px"
    append-to-body
    @close="emit('close')"
  >
    <section>
      <h3>A device of your own</h3>
      <p>
        Play the probe through it, record what comes back from the same moment on, and bring the recording here:
        <a :href="`/api/probe?signal=sweep&rate_hz=${rateHz}`" download>sweep</a>, or
        <a :href="`/api/probe?signal=noise&rate_hz=${rateHz}`" download>burst of noise</a> where a sweep is not allowed.
      </p>
      <label class="file">
        <span class="soft">What came back</span>
        <input type="file" accept="audio/*,.wav,.flac,.aif,.aiff" data-test="probe-file" :disabled="busy" @change="bring" />
      </label>
    </section>
    <section>
      <h3>A simulated one</h3>
      <div class="row">
        <select v-model="device" aria-label="Simulated device" data-test="device">
          <option :value="null" disabled>choose</option>
          <option v-for="(d, i) in devices" :key="d.name" :value="i">{{ d.name }}, says {{ fixed(d.stated_ms, 2) }} ms</option>
        </select>
        <button class="plain" :disabled="device === null || busy" data-test="probe-device" @click="sendThrough">
          Send a sweep through it
        </button>
      </div>
    </section>
    <p v-if="answered && probes.length === 0" class="caution" role="alert">No probe was found in this recording.</p>
    <section v-else-if="found" data-test="probe-found" :data-ms="found.latency_ms">
      <h3>
        {{ ms(found) }} ({{ fixed(found.latency_samples, 2) }} samples), {{ found.invert ? 'inverted ▼' : 'upright ▲' }} –
        {{ found.verdict }}
      </h3>
      <p class="soft">{{ found.reason }}. It passes up to {{ fixed(found.reaches_hz / 1000, 1) }} kHz.</p>
      <svg :viewBox="`0 -4 ${WIDE} ${HIGH + 20}`" role="img" aria-label="Response by third-octave, 24 dB high, 25 Hz to 20 kHz">
        <path class="grid" :d="`M0 0H${WIDE}M0 ${HIGH / 2}H${WIDE}M0 ${HIGH}H${WIDE}`" />
        <path class="line" :d="line" />
        <text x="0" :y="HIGH + 13">25 Hz</text>
        <text :x="WIDE" :y="HIGH + 13" text-anchor="end">20 kHz</text>
        <text :x="WIDE" y="9" text-anchor="end">+12 dB</text>
      </svg>
      <div v-if="probes.length > 1" class="row">
        <label
          >{{ probes.length }} probes:
          <select v-model="taken" aria-label="Which probe">
            <option v-for="(p, i) in probes" :key="i" :value="i">channel {{ p.channel }}, {{ ms(p) }}, {{ p.verdict }}</option>
          </select></label
        >
      </div>
    </section>
    <template #footer>
      <el-button @click="emit('close')">Close</el-button>
      <el-button :disabled="!found || found.verdict === 'undecided'" data-test="keep-measured" @click="keep(false)"
        >Keep beside what is stated</el-button
      >
      <el-button type="primary" :disabled="!found || found.verdict === 'undecided'" data-test="use-measured" @click="keep(true)"
        >Use it</el-button
      >
    </template>
  </el-dialog>
</template>

<style scoped>
section {
  margin-bottom: 12px;
}
h3 {
  font-size: 14px;
  margin-bottom: 3px;
}
p {
  margin: 0 0 5px;
}
.row,
.file {
  display: flex;
  gap: 10px;
  align-items: center;
}
select {
  font: inherit;
  font-size: 13px;
  color: var(--ink);
  background: var(--paper);
  border: 1px solid var(--line);
  border-radius: 3px;
  padding: 2px 4px;
}
svg {
  width: 100%;
}
.grid {
  stroke: var(--line);
  fill: none;
}
.line {
  stroke: var(--depth);
  stroke-width: 2;
  fill: none;
}
text {
  font-size: 10px;
  fill: var(--soft);
}
</style>
