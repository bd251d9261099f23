<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import LanesFold from '../../lanes/LanesFold.vue'
import { useSurface } from '../../plot/surface'
import { useAddress } from '../../session/address'
import { useSession } from '../../session/store'
import { useKeys } from '../../shared/keys'
import { palette } from '../../shared/theme'
import { fixed, span } from '../../shared/units'
import LagPlot from './LagPlot.vue'
import PrintWays from './PrintWays.vue'
import { usePrint, type Moving, type Way } from './usePrint'
import { paintWow } from './wow'

const store = useSession()
const address = useAddress()
const MOVING: Record<Moving, string> = { print: 'a print of its send', walker: 'somebody who walks' }
/** What makes the lag change. */
const moving = ref<Moving>(address.read('by') === 'walker' ? 'walker' : 'print')
watch(moving, (by) => {
  quiet()
  part.value = null
  address.write({ by: by === 'walker' ? by : undefined })
})
const { print, send, looking, found, followed, part, look, chooseSend, correct } = usePrint(() => moving.value)
const view = followed.view
const busy = ref(false)
/** The way that is heard before anything is decided. */
const heard = computed<Way | null>(() => store.triedHere?.way ?? null)

// Whoever comes here without a print in the pair wants the session's.
const first = store.inOrder.find((t) => t.role === 'print')
if (moving.value === 'print' && first && print.value?.role !== 'print') store.choose(undefined, first.id)

const sendTrack = computed(() => store.track(send.value))
const others = computed(() => store.inOrder.filter((t) => t.id !== print.value?.id))
const searching = computed(() => looking.value === print.value?.id && !found.view.value && found.job.value)
const candidates = computed(() => (looking.value === print.value?.id ? (found.view.value?.sends ?? []) : []))
const nobody = computed(() => looking.value === print.value?.id && found.view.value?.sends.length === 0 && !send.value)
/** Less than this, in ms, is no walk: one offset does. */
const STANDS_MS = 0.3
const walks = computed(() => {
  const decided = (view.value?.lag?.lag_frames ?? []).filter((_, i) => view.value!.lag!.measured[i])
  return Math.max(...decided) - Math.min(...decided) > (STANDS_MS / 1000) * store.rateHz
})
const swings = computed(() =>
  moving.value === 'walker' ? walks.value : view.value?.left ? view.value.left.offset - view.value.left.map > 1 : false,
)

const sentence = computed(() => {
  const v = view.value
  const [p, s] = [print.value, sendTrack.value]
  if (!v || !p || !s) return ''
  if (v.later_frames === null || v.later_frames === undefined) return `${p.name} against ${s.name}: ${v.reason}.`
  if (moving.value === 'walker') {
    const decided = (v.lag?.lag_frames ?? []).filter((_, i) => v.lag!.measured[i])
    const told = (frames: number) => `${span(Math.abs(frames), 'ms', store.measure)} ${frames < 0 ? 'earlier' : 'later'}`
    const range = `${told(Math.min(...decided))} to ${told(Math.max(...decided))}`
    return `${p.name} hears it ${told(v.later_frames)} than ${s.name} (median; ${range}) – ${v.verdict}; ${v.reason}.`
  }
  const drift = Math.abs(v.drift_ppm) < 0.05 ? 'at the same speed' : `${fixed(v.drift_ppm, 1)} ppm longer`
  const way = v.invert ? 'inverted' : 'upright'
  return `${p.name} is ${span(v.later_frames, 'ms', store.measure)} later than ${s.name} (median), ${way}, ${drift} – ${v.verdict}; ${v.reason}.`
})

useSurface('wow', (s) => view.value && paintWow(s, palette(), view.value), [view])

function quiet(): void {
  if (heard.value) store.hearHere(null)
}
/** The same way again ends it. */
function hear(way: Way): void {
  if (heard.value === way) return quiet()
  if (!view.value?.ways.includes(way) || !print.value) return
  store.hearHere('pair', null, { send: send.value, print: print.value.id, moving: moving.value, way })
  if (!store.heard.playing) void store.toggleSound()
}
// By their names: the same track comes as another object whenever the session is read again.
watch([send, () => print.value?.id], quiet)
onBeforeUnmount(quiet)

async function choose(way: Way | null): Promise<void> {
  busy.value = true
  quiet()
  await correct(way)
  busy.value = false
}

function seek(frame: number): void {
  store.transport?.seek(Math.max(0, Math.round(frame)))
}

useKeys('Prints', [
  { key: 'g', label: 'Look for the send of the print', run: () => moving.value === 'print' && look() },
  { key: '3', label: 'Hear the print moved by one offset', run: () => hear('offset') },
  { key: '4', label: 'Hear it with offset and speed', run: () => hear('drift') },
  { key: '5', label: 'Hear it with the whole lag taken out', run: () => hear('map') },
  { key: 'Enter', label: 'Choose the way that is heard', run: () => heard.value && void choose(heard.value) },
])
</script>

<template>
  <div class="prints filled">
    <div v-if="store.tracks.length < 2" class="view">
      <h1>Prints</h1>
      <p>
        A print is a return that was recorded again: tape, outboard, a plate. Its send and the print are needed.
        <router-link :to="{ name: 'recordings', params: { session: store.id } }">Bring in recordings</router-link>.
      </p>
    </div>
    <template v-else>
      <div class="pickers">
        <h1>Prints</h1>
        <label for="moving">followed as</label>
        <el-select id="moving" v-model="moving" size="small" class="pick" data-test="moving">
          <el-option v-for="(label, m) in MOVING" :key="m" :value="m" :label="label" />
        </el-select>
        <label for="print">{{ moving === 'walker' ? 'microphone' : 'Print' }}</label>
        <el-select
          id="print"
          :model-value="print?.id"
          size="small"
          class="pick"
          filterable
          data-test="print"
          @change="(id: string) => store.choose(undefined, id)"
        >
          <el-option v-for="t in store.inOrder" :key="t.id" :value="t.id" :label="t.name" />
        </el-select>
        <label for="send">{{ moving === 'walker' ? 'against' : 'made from' }}</label>
        <el-select
          id="send"
          :model-value="send || undefined"
          size="small"
          class="pick"
          filterable
          :placeholder="moving === 'walker' ? 'another microphone' : 'its send'"
          data-test="send"
          @change="chooseSend"
        >
          <el-option v-for="t in others" :key="t.id" :value="t.id" :label="t.name" />
        </el-select>
        <button v-if="moving === 'print'" class="plain" title="Compare it with every track (G)" data-test="look" @click="look">
          Look for its send
        </button>
        <span v-if="moving === 'print' && candidates.length > 0 && send === candidates[0]?.track" class="soft" data-test="found">
          found among {{ found.view.value?.compared }} tracks: it leaves {{ fixed(candidates[0].left_db, 1) }} dB<template
            v-if="candidates[1]"
            >, {{ store.track(candidates[1].track)?.name }} {{ fixed(candidates[1].left_db, 1) }} dB</template
          >
        </span>
      </div>
      <LanesFold />
      <p v-if="found.trouble.value && !send" class="sentence undecided" role="alert">{{ found.trouble.value }}</p>
      <p v-else-if="followed.trouble.value" class="sentence undecided" role="alert">{{ followed.trouble.value }}</p>
      <p v-else-if="!send && moving === 'walker'" class="sentence">
        Choose two microphones between which somebody walks: the lag is looked for within 40 ms either way.
      </p>
      <p v-else-if="searching" class="sentence" role="status">{{ searching.title }}: {{ Math.round(searching.progress * 100) }} %</p>
      <p v-else-if="nobody" class="sentence undecided" data-test="nobody">
        {{ print?.name }} is no print of any track here: none of {{ found.view.value?.compared }} predicts it. Choose its send by hand, or
        bring it in.
      </p>
      <p v-else-if="!send && candidates.length > 0" class="sentence undecided" data-test="alike">
        Which was sent cannot be told: these hold the same sound.
        <button v-for="c in candidates" :key="c.track" class="plain" @click="chooseSend(c.track)">
          {{ store.track(c.track)?.name }} ({{ fixed(c.left_db, 1) }} dB)
        </button>
      </p>
      <p v-else-if="!send" class="sentence">
        Choose the track that was sent, or let Marea look for it: every track is compared with the print, up to 10 s of lag.
      </p>
      <p v-else-if="followed.job.value && !view" class="sentence" role="status">
        {{ followed.job.value.title }}: {{ Math.round(followed.job.value.progress * 100) }} %
      </p>
      <p v-else-if="view" class="sentence" :class="view.verdict" data-test="print-sentence" :data-verdict="view.verdict">{{ sentence }}</p>
      <p v-if="view?.carried === 'other' && view.lag" class="sentence undecided" data-test="print-other">
        It is carried by something else now: by hand, or by a way chosen before its send was moved. Choose a way to put it right.
      </p>
      <div v-if="view?.lag" :class="['plots', moving]">
        <LagPlot
          v-model:part="part"
          :view="view"
          :lag="view.lag"
          :start="print?.start_frame ?? 0"
          :unit="store.unit"
          :measure="store.measure"
          :moving="moving"
          :way="heard ?? view.carried"
          :heard="store.heard.playing ? store.heard.frame : null"
          @seek="seek"
        />
        <div v-if="moving === 'print'" class="wow plot-card">
          <header>
            <h2>Wow and flutter</h2>
            <span class="soft">
              <template v-for="(w, i) in view.wow.slice(0, 4)" :key="w.hz"
                >{{ i > 0 ? ' · ' : '' }}{{ fixed(w.hz, 2) }} Hz {{ fixed(w.speed * 100, 3) }} %</template
              >
            </span>
          </header>
          <canvas ref="wow" role="img" :aria-label="`Wow and flutter of ${print?.name}`" data-test="wow-plot" />
        </div>
        <aside>
          <PrintWays :view="view" :moving="moving" :heard="heard" :busy="busy" :swings="swings" @hear="hear" @choose="choose" />
        </aside>
      </div>
    </template>
  </div>
</template>

<style scoped>
.plots {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template: minmax(0, 1.5fr) minmax(0, 1fr) / minmax(0, 1fr) 270px;
  gap: 8px;
}
.plots.walker {
  grid-template-rows: minmax(0, 1fr);
}
aside {
  grid-column: 2;
  grid-row: 1 / -1;
  min-height: 0;
  display: flex;
  flex-direction: column;
}
@media (max-width: 900px), (max-height: 560px) {
  .plots {
    grid-template: none;
    grid-template-columns: minmax(0, 1fr);
    grid-auto-rows: minmax(220px, auto);
  }
  aside {
    grid-column: auto;
    grid-row: auto;
  }
}
</style>
