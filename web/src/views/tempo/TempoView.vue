<script setup lang="ts">
import { computed, ref, useTemplateRef, watch } from 'vue'
import LanesFold from '../../lanes/LanesFold.vue'
import { useAddress } from '../../session/address'
import { useSession } from '../../session/store'
import { useKeys } from '../../shared/keys'
import { fixed, span } from '../../shared/units'
import TempoTable from './TempoTable.vue'
import { useTempo, type Asked, type TempoBy, type TempoView } from './useTempo'

const store = useSession()
const address = useAddress()
const BY: Record<TempoBy, string> = { session: 'the session’s beats', click: 'a click', track: 'a steady track', beside: 'another track' }
const by = ref<TempoBy>((['session', 'click', 'track', 'beside'] as const).find((b) => b === address.read('by')) ?? 'session')
const of = ref(address.read('of') ?? '')
const asked = ref<Asked | null>(
  address.read('by') && (by.value === 'session' || of.value)
    ? { by: by.value, ...(by.value === 'session' ? {} : { track: of.value }) }
    : null,
)
const table = useTemplateRef<InstanceType<typeof TempoTable>>('table')

const { held, use, take, busy } = useTempo(() => asked.value)
const view = held.view
watch(by, (now) => {
  if (now !== 'session' && !store.track(of.value))
    of.value = store.inOrder.find((t) => /clic|klick|metro/i.test(t.name))?.id ?? store.inOrder[0]?.id ?? ''
})

function hold(): void {
  const next = { by: by.value, ...(by.value === 'session' ? {} : { track: of.value }) }
  if (JSON.stringify(next) === JSON.stringify(asked.value)) void held.again()
  asked.value = next
  address.write({ by: by.value, of: by.value === 'session' ? undefined : of.value })
}

type Row = TempoView['tracks'][number]
const proposed = (r: Row) => r.constant && r.or_ms.length === 0 && r.lag_ms !== null && r.lag_ms !== undefined
const off = (r: Row) => proposed(r) && Math.abs(r.now_ms ?? 0) > 0.05
const sure = computed(() => (view.value?.tracks ?? []).filter((r) => off(r) && r.verdict === 'solid').map((r) => r.track))
const first = computed(() => view.value?.changes[0] ?? null)
const nameOf = (id: string) => store.track(id)?.name ?? ''
const told = (r: Row) => {
  if (r.lag_ms === null || r.lag_ms === undefined) return ''
  return `${fixed(Math.abs(r.lag_ms), 2)} ms ${r.lag_ms < 0 ? 'early' : 'late'}`
}
/** Of two that sound fine alone the one that is further from the beats is off. */
const widest = computed(() => Math.max(5, ...(view.value?.tracks ?? []).map((r) => Math.abs(r.now_ms ?? 0) + r.spread_ms)))
const x = (ms: number) => 60 + (ms / widest.value) * 56

useKeys('Tempo', [
  { key: 'g', label: 'Hold the tracks against the beats', run: hold },
  { key: '=', label: 'A change of tempo at the bar of the cursor', run: () => table.value?.add() },
  { key: 'Enter', label: 'Take the solid constant lags out', run: () => sure.value.length > 0 && void take(sure.value) },
])
</script>

<template>
  <div class="tempo filled">
    <div v-if="store.tracks.length === 0" class="view">
      <h1>Tempo</h1>
      <p>
        Tracks are held against the session’s beats, a click, a steady track, or another track.
        <router-link :to="{ name: 'recordings', params: { session: store.id } }">Bring in recordings</router-link>.
      </p>
    </div>
    <template v-else>
      <div class="pickers">
        <h1>Tempo</h1>
        <label for="by">tracks against</label>
        <el-select id="by" v-model="by" size="small" class="pick" data-test="by">
          <el-option v-for="(label, b) in BY" :key="b" :value="b" :label="label" />
        </el-select>
        <el-select v-if="by !== 'session'" v-model="of" size="small" class="pick" filterable aria-label="Which track" data-test="of">
          <el-option v-for="t in store.inOrder" :key="t.id" :value="t.id" :label="t.name" />
        </el-select>
        <el-button type="primary" size="small" title="G" data-test="hold" @click="hold">Hold them against it</el-button>
        <el-button v-if="sure.length > 0" size="small" :disabled="busy" title="Enter" data-test="take-lags" @click="take(sure)">
          Take {{ sure.length === 1 ? 'one solid lag' : `${sure.length} solid lags` }} out
        </el-button>
      </div>
      <LanesFold />
      <p v-if="held.trouble.value" class="sentence undecided" role="alert">{{ held.trouble.value }}</p>
      <p v-else-if="held.job.value && !view" class="sentence" role="status">
        {{ held.job.value.title }}: {{ Math.round(held.job.value.progress * 100) }} %
      </p>
      <p v-else-if="view && asked?.by === 'beside'" class="sentence" data-test="beside-found">
        Stroke by stroke against {{ nameOf(asked.track ?? '') }}. Which of two is off, the beats tell: hold both against them.
      </p>
      <p v-else-if="view && asked?.by !== 'session'" class="sentence" data-test="tempo-found" :data-bpm="first?.bpm">
        <template v-if="first">
          {{ nameOf(asked?.track ?? '') }} keeps {{ fixed(first.bpm, 2) }} quarters a minute<template v-if="view.changes.length > 1"
            >, and changes {{ view.changes.length - 1 === 1 ? 'once' : `${view.changes.length - 1} times` }}</template
          >. {{ view.accented ? '' : 'Without accents, where bars begin is a guess.' }}
          <button class="plain" :disabled="busy" data-test="use-tempo" @click="use()">Use it for the session</button>
          <template v-for="b in view.or_bpm" :key="b">
            or <button class="plain" :disabled="busy" @click="use(b)">{{ fixed(b, 2) }}</button></template
          >
          <span v-if="view.or_bpm.length > 0" class="soft"> – strokes alone cannot tell which is meant</span>
        </template>
        <template v-else>{{ nameOf(asked?.track ?? '') }} keeps no tempo that could be told.</template>
      </p>
      <div class="parts">
        <TempoTable ref="table" />
        <div class="scroll">
          <table v-if="view" class="sheet" data-test="against">
            <thead>
              <tr>
                <th>Track</th>
                <th>{{ asked?.by === 'beside' ? `Against ${nameOf(asked.track ?? '')}` : 'Against the beats' }}</th>
                <th title="Median and spread, with the offset carried now">Now</th>
                <th>Grid</th>
                <th>Hits</th>
                <th>How</th>
                <th><span class="unseen">Take it out</span></th>
                <th class="wide">How sure</th>
              </tr>
            </thead>
            <tbody>
              <tr v-for="r in view.tracks" :key="r.track" :data-against="nameOf(r.track)" :data-lag="r.lag_ms">
                <td>{{ nameOf(r.track) }}</td>
                <td class="mono">{{ told(r) }}</td>
                <td>
                  <svg
                    v-if="r.now_ms !== null && r.now_ms !== undefined"
                    viewBox="0 0 120 18"
                    role="img"
                    :aria-label="`${fixed(r.now_ms, 2)} ms`"
                  >
                    <path class="zero" d="M60 1V17" />
                    <path class="spread" :d="`M${x(r.now_ms - r.spread_ms)} 9H${x(r.now_ms + r.spread_ms)}`" />
                    <circle :class="{ off: off(r) }" :cx="x(r.now_ms)" cy="9" r="4" />
                  </svg>
                </td>
                <td class="mono">{{ r.lag_ms === null || r.lag_ms === undefined || r.parts === 0 ? '' : `1/${4 * r.parts}` }}</td>
                <td class="mono">{{ r.hits }}</td>
                <td>{{ r.lag_ms === null || r.lag_ms === undefined ? '' : r.constant ? 'constant' : 'feel: left alone' }}</td>
                <td>
                  <button
                    v-if="off(r)"
                    class="plain"
                    :disabled="busy"
                    :data-take="nameOf(r.track)"
                    :title="`It plays ${span((Math.abs(r.lag_ms ?? 0) / 1000) * store.rateHz, store.unit, store.measure)} ${(r.lag_ms ?? 0) > 0 ? 'earlier' : 'later'}`"
                    @click="take([r.track])"
                  >
                    Take it out
                  </button>
                  <span v-else-if="proposed(r)" class="clear">{{ asked?.by === 'beside' ? 'together' : 'on the beats' }}</span>
                </td>
                <td :class="['reason', r.verdict]" :title="r.reason">
                  <b>{{ r.verdict }}</b> <span class="soft">{{ r.reason }}</span>
                  <span v-if="r.or_ms.length > 0">
                    or {{ r.or_ms.map((l) => `${fixed(l, 1)} ms`).join(', ')
                    }}{{ asked?.by === 'beside' ? ': fits more of them' : ': which one, the grid cannot tell' }}</span
                  >
                </td>
              </tr>
            </tbody>
          </table>
          <p v-else-if="!asked" class="soft">
            The session’s beats, a click, a steady track or the strokes of another one: whoever is always early or late by the same amount
            is named, and feel is left alone.
          </p>
        </div>
      </div>
    </template>
  </div>
</template>

<style scoped>
.parts {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: 400px minmax(0, 1fr);
  gap: 10px;
}
.scroll {
  overflow: auto;
  min-height: 0;
}
svg {
  width: 120px;
  height: 18px;
}
.zero {
  stroke: var(--line);
  stroke-width: 2;
}
.spread {
  stroke: var(--depth);
  stroke-width: 2;
}
circle {
  fill: var(--clear);
}
circle.off {
  fill: var(--caution);
}
.wide {
  width: 40%;
}
table {
  width: 100%;
}
@media (max-width: 900px) {
  .parts {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
