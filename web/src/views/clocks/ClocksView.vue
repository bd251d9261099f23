<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import LanesFold from '../../lanes/LanesFold.vue'
import { useAddress } from '../../session/address'
import { useSession } from '../../session/store'
import { useKeys } from '../../shared/keys'
import { clock, fixed, span } from '../../shared/units'
import { recordingsOf, usualReference } from './recordings'
import TimeBars from './TimeBars.vue'
import { useClocks, type ClockView } from './useClocks'

const store = useSession()
const address = useAddress()
const all = computed(() => recordingsOf(store.inOrder))
/** What others are placed against, which of them, and what was asked for last. */
const chosen = ref(address.read('ref') ?? '')
const reference = computed(
  () => all.value.find((r) => r.id === chosen.value)?.id ?? usualReference(all.value, store.detail?.session.anchor_id ?? ''),
)
const picked = ref(new Set(address.read('placed')?.split('.') ?? []))
const asked = ref<string[]>(address.read('placed') ? [reference.value, ...picked.value] : [])

const { placed, take, busy } = useClocks(() => asked.value)
const found = computed(() => new Map((placed.view.value ?? []).map((f) => [f.track, f])))
/** Once some were placed they stand first, the reference before them. */
const inSight = computed(() => {
  const rank = (id: string) => (id === asked.value[0] ? 0 : found.value.has(id) ? 1 : 2)
  return found.value.size === 0 ? all.value : [...all.value].sort((a, b) => rank(a.id) - rank(b.id))
})
const toPlace = computed(() => all.value.filter((r) => picked.value.has(r.id) && r.id !== reference.value).map((r) => r.id))
const sure = computed(() =>
  [...found.value.values()].filter((f) => f.by !== 'reference' && f.verdict === 'solid' && !f.taken).map((f) => f.track),
)
const nameOf = (id: string) => all.value.find((r) => r.id === id)?.name ?? ''
const BY: Record<ClockView['by'], string> = {
  reference: 'the others’ time',
  sound: 'sound',
  code: 'time code',
  clap: 'the clap',
  stamp: 'time stamp',
  nothing: '',
}

function pick(id: string): void {
  const next = new Set(picked.value)
  if (!next.delete(id)) next.add(id)
  picked.value = next
}

function place(): void {
  if (toPlace.value.length === 0) return
  const next = [reference.value, ...toPlace.value]
  if (next.join() === asked.value.join()) void placed.again()
  asked.value = next
  address.write({ ref: reference.value, placed: toPlace.value.join('.') })
}
// The rest of the session is what a new reference is for.
watch(reference, (id) => picked.value.has(id) && pick(id))

const begins = (f: ClockView) => (f.begins_frame === null || f.begins_frame === undefined ? '' : clock(f.begins_frame, store.rateHz))
const ppm = (f: ClockView) =>
  f.ppm === null || f.ppm === undefined || f.by === 'reference'
    ? ''
    : `${f.ppm > 0 ? '+' : ''}${fixed(f.ppm, 2)} ± ${fixed(f.ppm_error ?? 0, 2)} ppm`

useKeys('Clocks', [
  { key: 'g', label: 'Place the recordings that are ticked', run: place },
  { key: 'Enter', label: 'Take the solid ones over', run: () => sure.value.length > 0 && void take(sure.value) },
])
</script>

<template>
  <div class="clocks filled">
    <div v-if="all.length < 2" class="view">
      <h1>Clocks</h1>
      <p>
        Recorders and cameras that ran by themselves are placed by their sound, and their clocks compared. Two recordings are needed.
        <router-link :to="{ name: 'recordings', params: { session: store.id } }">Bring in recordings</router-link>.
      </p>
    </div>
    <template v-else>
      <div class="pickers">
        <h1>Clocks</h1>
        <label for="reference">in the time of</label>
        <el-select
          id="reference"
          :model-value="reference"
          size="small"
          class="pick"
          filterable
          data-test="reference"
          @change="(id: string) => (chosen = id)"
        >
          <el-option v-for="r in all" :key="r.id" :value="r.id" :label="r.name" />
        </el-select>
        <el-button type="primary" size="small" :disabled="toPlace.length === 0" title="G" data-test="place" @click="place">
          {{
            toPlace.length === 0
              ? 'Tick what is to be placed'
              : toPlace.length === 1
                ? 'Place one recording'
                : `Place ${toPlace.length} recordings`
          }}
        </el-button>
        <el-button v-if="sure.length > 0" size="small" :disabled="busy" title="Enter" data-test="take-sure" @click="take(sure)">
          Take {{ sure.length === 1 ? 'the solid one' : `${sure.length} solid ones` }} over
        </el-button>
        <span class="soft">by sound first; where that does not tell, by time code, a clap, or time stamps</span>
      </div>
      <LanesFold />
      <p v-if="placed.trouble.value" class="sentence undecided" role="alert">{{ placed.trouble.value }}</p>
      <p v-else-if="placed.job.value && !placed.view.value" class="sentence" role="status">
        {{ placed.job.value.title }}: {{ Math.round(placed.job.value.progress * 100) }} %
      </p>
      <TimeBars
        v-if="found.size > 0"
        :all="all.filter((r) => found.has(r.id))"
        :found="found"
        :reference="all.find((r) => r.id === asked[0]) ?? all[0]!"
        :rate-hz="store.rateHz"
      />
      <div class="scroll">
        <table class="sheet" data-test="clocks">
          <thead>
            <tr>
              <th class="tick"><span class="unseen">Place it</span></th>
              <th>Recording</th>
              <th>Length</th>
              <th>Begins</th>
              <th>Its clock</th>
              <th>By</th>
              <th>Time code</th>
              <th><span class="unseen">Take it over</span></th>
              <th class="wide">How sure</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="r in inSight" :key="r.id" :data-recording="r.name" :class="{ reference: r.id === reference }">
              <td>
                <input
                  v-if="r.id !== reference"
                  type="checkbox"
                  :checked="picked.has(r.id)"
                  :aria-label="`Place ${r.name}`"
                  @change="pick(r.id)"
                />
              </td>
              <td>{{ r.name }}</td>
              <td class="mono">{{ clock(r.to - r.from, store.rateHz) }}</td>
              <template v-if="found.get(r.id)">
                <td class="mono" :data-begins="found.get(r.id)!.begins_frame">{{ begins(found.get(r.id)!) }}</td>
                <td class="mono">
                  {{ ppm(found.get(r.id)!) }}
                  <span v-if="found.get(r.id)!.shared_with.length > 0" class="soft">
                    one clock with {{ found.get(r.id)!.shared_with.map(nameOf).join(', ') }}</span
                  >
                </td>
                <td>{{ BY[found.get(r.id)!.by] }}<template v-if="found.get(r.id)!.invert">, inverted ▼</template></td>
                <td class="mono">
                  <template v-if="found.get(r.id)!.code"
                    >{{ found.get(r.id)!.code!.first }} at {{ found.get(r.id)!.code!.count }}, channel
                    {{ found.get(r.id)!.code!.channel }}</template
                  >
                </td>
                <td>
                  <span v-if="found.get(r.id)!.taken" class="clear">lies there</span>
                  <button
                    v-else-if="found.get(r.id)!.by !== 'reference' && found.get(r.id)!.begins_frame !== null"
                    class="plain"
                    :disabled="busy"
                    :data-take="r.name"
                    :title="
                      found.get(r.id)!.claimed
                        ? 'Its place, and its speed'
                        : 'Its place alone: the speed is not sure enough to be taken out'
                    "
                    @click="take([r.id])"
                  >
                    Take over
                  </button>
                </td>
                <td :class="['reason', found.get(r.id)!.verdict]" :title="found.get(r.id)!.reason">
                  <b>{{ found.get(r.id)!.by === 'reference' ? '' : found.get(r.id)!.verdict }}</b>
                  <span class="soft"> {{ found.get(r.id)!.reason }}</span>
                </td>
              </template>
              <template v-else>
                <td class="mono soft">{{ r.from === 0 ? '' : clock(r.from, store.rateHz) }}</td>
                <td colspan="5" class="soft">
                  {{
                    r.id === reference
                      ? 'the others are placed in its time'
                      : r.from !== 0
                        ? `as its time stamp says, ${span(r.from, 'ms', store.measure)}`
                        : ''
                  }}
                </td>
              </template>
            </tr>
          </tbody>
        </table>
      </div>
    </template>
  </div>
</template>

<style scoped>
.scroll {
  flex: 1;
  min-height: 0;
  overflow: auto;
}
.reference td {
  background: color-mix(in srgb, var(--land) 18%, transparent);
}
table {
  width: 100%;
}
.tick {
  width: 30px;
}
.wide {
  width: 32%;
}
</style>
