<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import LanesFold from '../../lanes/LanesFold.vue'
import { useRoute } from 'vue-router'
import { useAddress, word } from '../../session/address'
import { useSession } from '../../session/store'
import { useKeys } from '../../shared/keys'
import { clock, fixed } from '../../shared/units'
import ManyImage from './ManyImage.vue'
import RepairedList from './RepairedList.vue'
import PairImage from './PairImage.vue'
import { namesOf, setsOf } from './sets'
import SidesTable from './SidesTable.vue'
import { useImage } from './useImage'

const store = useSession()
const chosen = ref(word(useRoute().query, 'set') ?? '')

const sets = computed(() => setsOf(store.tracks, [store.track(store.pair.a), store.track(store.pair.b)]))
const set = computed(() => sets.value.find((s) => s.key === chosen.value) ?? sets.value[0] ?? null)
const channels = computed(() => set.value?.tracks.map((t) => t.id) ?? [])
/** Whole, or only what the loop holds; the order of channels where the file says nothing of it. */
const onlyLoop = ref(false)
const order = ref<'wav' | 'smpte'>('wav')
const range = computed(() => store.desk.state.range ?? null)
const asked = computed(() => ({
  ...(onlyLoop.value && range.value ? { from: range.value.from, to: range.value.to } : {}),
  order: order.value,
}))
const inLoop = computed(() => onlyLoop.value && range.value !== null)
const { view, trouble, running, current, accept } = useImage(channels, asked)
const address = useAddress()
const part = ref<'image' | 'sides'>(address.read('part') === 'sides' ? 'sides' : 'image')
watch([part, chosen], ([shown, set]) => address.write({ part: shown === 'sides' ? 'sides' : undefined, set: set || undefined }))

const pair = computed(() => (view.value?.image.pairs.length === 1 ? view.value.image.pairs[0]! : null))
const judged = computed(() => (pair.value ? view.value!.repair.pairs[0]! : null))
const proposes = computed(
  () =>
    view.value?.repair.channels.some(
      ({ correction: k, verdict }) => verdict !== 'undecided' && (k.offset_frames !== 0 || k.invert || k.gain_db !== 0),
    ) ?? false,
)
const names = computed(() => namesOf(set.value?.tracks ?? [], view.value?.places))

// These two are heard hard left and right, since the picture shows what sounds. More channels are folded down:
// left and right by their directions, all but the front at −3 dB, low effects left out (ITU-R BS.775).
function hearSet(): void {
  if (channels.value.length > 2) {
    const degrees = view.value?.degrees ?? []
    const all = channels.value.map((id, c) => [id, degrees[c] ?? 0, view.value?.places?.[c]] as const)
    const places = all
      .filter((x) => x[2] !== 'lfe')
      .map(([id, turn]) => [id, { pan: Math.sign(turn), level_db: Math.abs(turn) > 60 ? -3.01 : 0 }] as const)
    store.hearHere('group', Object.fromEntries(places))
    return
  }
  if (channels.value.length !== 2) return
  store.choose(channels.value[0]!, channels.value[1]!)
  store.hearHere('apart')
}
onMounted(hearSet)
watch(channels, (now, was) => now.join() !== was.join() && chosen.value !== 'pair' && hearSet())
watch(() => view.value?.degrees.join(), hearSet)
onBeforeUnmount(() => store.hearHere(null))

async function swapSides(): Promise<void> {
  const two = set.value?.tracks
  if (two?.length === 2) await store.exchangeSides(two[0]!.id, two[1]!.id)
}

useKeys('Stereo', [
  { key: 'Enter', label: 'Accept the proposed repair', run: () => proposes.value && current.value && void accept(inLoop.value) },
])
</script>

<template>
  <div class="stereo filled">
    <div v-if="store.tracks.length < 2" class="view">
      <h1>Stereo</h1>
      <p>
        Two channels are needed. <router-link :to="{ name: 'recordings', params: { session: store.id } }">Bring in recordings</router-link>,
        or a file of several channels.
      </p>
    </div>
    <template v-else>
      <div class="pickers">
        <label for="set">Channels</label>
        <el-select id="set" :model-value="set?.key" class="set" size="small" data-test="set" @change="(k: string) => (chosen = k)">
          <el-option v-for="s in sets" :key="s.key" :value="s.key" :label="s.label" />
        </el-select>
        <div class="choice" role="group" aria-label="What is shown">
          <button :aria-pressed="part === 'image'" data-test="part-image" @click="part = 'image'">Image</button>
          <button :aria-pressed="part === 'sides'" data-test="part-sides" @click="part = 'sides'">Sides</button>
        </div>
        <div v-if="part === 'image'" class="choice" role="group" aria-label="How much of it">
          <button :aria-pressed="!onlyLoop" @click="onlyLoop = false">Whole</button>
          <button
            :aria-pressed="onlyLoop"
            :disabled="!range"
            data-test="only-loop"
            :title="
              range
                ? `Only what the loop holds: ${clock(range.from, store.rateHz)} to ${clock(range.to, store.rateHz)}`
                : 'There is no loop: drag in the ruler of the lanes, or use , and . while playing'
            "
            @click="onlyLoop = true"
          >
            Loop
          </button>
        </div>
        <div
          v-if="part === 'image' && view && !pair && !view.places_by_file"
          class="choice"
          role="group"
          aria-label="Order of the channels"
        >
          <button :aria-pressed="order === 'wav'" title="L R C LFE, back, side: the order of WAV masks" @click="order = 'wav'">
            WAV order
          </button>
          <button
            :aria-pressed="order === 'smpte'"
            title="L R C LFE, side, back: the order of SMPTE"
            data-test="smpte"
            @click="order = 'smpte'"
          >
            SMPTE order
          </button>
        </div>
        <span v-if="part === 'image'" class="soft window">as carried now; windows of 0.4 s, gated under −60 dBFS RMS</span>
        <span class="fill" />
        <button v-if="channels.length === 2" class="plain" data-test="swap-sides" @click="swapSides">Exchange sides</button>
      </div>
      <LanesFold />
      <SidesTable v-if="part === 'sides'" />
      <p v-else-if="trouble" class="sentence undecided" role="alert">{{ trouble }}</p>
      <p v-else-if="running && !view" class="sentence" role="status">{{ running.title }}: {{ Math.round(running.progress * 100) }} %</p>
      <p
        v-else-if="judged"
        class="sentence"
        :class="judged.verdict"
        data-test="image-sentence"
        :data-verdict="judged.verdict"
        :data-delay="judged.delay_frames"
        :data-invert="judged.invert"
      >
        {{ judged.text.charAt(0).toUpperCase() + judged.text.slice(1) }}
      </p>
      <p v-else-if="view" class="sentence" data-test="image-sentence">
        {{ view.image.channels.length }} channels{{
          view.places ? `: ${names.join(' ')}` : ', of unknown layout: every two are compared, nothing is folded down'
        }}.
      </p>
      <div v-if="view && part === 'image'" class="plots" :class="{ many: !pair }">
        <PairImage v-if="pair && judged" :view="view" :pair="pair" :judged="judged" />
        <ManyImage v-else :view="view" :names="names" :channels="channels" />
        <aside>
          <dl v-if="!pair">
            <template v-for="(c, i) in view.image.channels" :key="i">
              <dt>{{ names[i] }}</dt>
              <dd class="mono">{{ c.rms_db === null || c.rms_db === undefined ? 'silent' : `${fixed(c.rms_db, 1)} dBFS` }}</dd>
            </template>
          </dl>
          <h2>Findings</h2>
          <p v-if="view.repair.findings.length === 0" class="soft" data-test="no-findings">Nothing is wrong between these channels.</p>
          <article v-for="f in view.repair.findings" :key="f.kind + f.about.channels.join()" :class="f.severity" :data-finding="f.kind">
            <p>{{ f.text }}</p>
            <p class="soft">
              {{ f.advice }} <b>{{ f.verdict }}</b>
            </p>
          </article>
          <div v-if="proposes" class="actions">
            <el-button type="primary" size="small" title="Enter" data-test="accept-repair" :disabled="!current" @click="accept(inLoop)">{{
              inLoop ? 'Accept within the loop' : 'Accept the repair'
            }}</el-button>
            <el-button
              v-if="inLoop"
              size="small"
              title="The repair found here, carried by the whole recording"
              data-test="accept-whole"
              :disabled="!current"
              @click="accept(false)"
              >for all of it</el-button
            >
          </div>
          <RepairedList :tracks="set?.tracks ?? []" :names="names" />
        </aside>
      </div>
    </template>
  </div>
</template>

<style scoped>
.set {
  width: 300px;
}
.fill {
  flex: 1;
}
.window {
  overflow: hidden;
  text-overflow: ellipsis;
  font-size: 12px;
}
.plots {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template: 1fr 1fr / minmax(0, 1fr) minmax(0, 1.1fr) minmax(0, 1.1fr) 250px;
  gap: 8px;
}
.plots.many {
  grid-template: minmax(0, 1.3fr) minmax(0, 1fr) / minmax(0, 1.15fr) minmax(0, 1fr) 270px;
}
@media (max-width: 900px), (max-height: 560px) {
  .plots,
  .plots.many {
    grid-template: none;
    grid-template-columns: minmax(0, 1fr);
    grid-auto-rows: minmax(240px, auto);
  }
  .plots > aside {
    grid-row: auto;
    grid-column: auto;
  }
}
aside {
  grid-column: -2;
  grid-row: 1 / -1;
  background: var(--panel);
  border: 1px solid var(--line);
  padding: 8px 10px;
  overflow: auto;
}
dl {
  display: grid;
  grid-template-columns: 96px 1fr;
  gap: 1px 6px;
  margin: 0 0 10px;
  font-size: 13px;
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
}
article {
  border-left: 4px solid var(--line);
  padding: 2px 8px;
  margin: 6px 0;
  font-size: 13px;
}
article.fault {
  border-left-color: var(--caution);
}
article.caution {
  border-left-color: var(--land);
  color: inherit;
}
.actions {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.actions .el-button {
  margin: 0;
}
article p {
  margin: 0 0 2px;
}
</style>
