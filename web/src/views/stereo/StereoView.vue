<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import type { Track } from '../../api/client'
import LanesFold from '../../lanes/LanesFold.vue'
import { paintFold } from '../../plot/fold'
import { paintGoniometer, type Way } from '../../plot/goniometer'
import { paintPhase, paintSum } from '../../plot/response'
import { paintStrip } from '../../plot/strip'
import { paintSurround } from '../../plot/surround'
import { useSurface } from '../../plot/surface'
import { useSession } from '../../session/store'
import { useKeys } from '../../shared/keys'
import { palette } from '../../shared/theme'
import { fixed } from '../../shared/units'
import SidesTable from './SidesTable.vue'
import { useImage } from './useImage'

interface Set {
  key: string
  label: string
  tracks: Track[]
}

const store = useSession()
const chosen = ref('')

/** Files of several channels, and tracks that call themselves left and right of one thing. */
const sets = computed<Set[]>(() => {
  const found: Set[] = []
  const linked = new Map<string, Track[]>()
  for (const t of store.tracks) if (t.link_id) linked.set(t.link_id, [...(linked.get(t.link_id) ?? []), t])
  for (const [key, tracks] of linked) if (tracks.length > 1) found.push({ key, label: tracks[0]!.file_name.replace(/\.[^.]+$/, ''), tracks })
  for (const l of store.tracks.filter((t) => !t.link_id && t.side === 'left')) {
    const r = store.tracks.find((t) => !t.link_id && t.side === 'right' && t.source === l.source && t.role === l.role)
    if (r) found.push({ key: l.id, label: `${l.name} / ${r.name}`, tracks: [l, r] })
  }
  const [a, b] = [store.track(store.pair.a), store.track(store.pair.b)]
  if (a && b) found.push({ key: 'pair', label: `This pair: ${a.name} / ${b.name}`, tracks: [a, b] })
  return found
})
const set = computed(() => sets.value.find((s) => s.key === chosen.value) ?? sets.value[0] ?? null)
const channels = computed(() => set.value?.tracks.map((t) => t.id) ?? [])
/** Whole, or only what the loop holds; the order of channels where the file says nothing of it. */
const onlyLoop = ref(false)
const order = ref<'wav' | 'smpte'>('wav')
const range = computed(() => store.desk.state.range ?? null)
const asked = computed(() => ({ ...(onlyLoop.value && range.value ? { from: range.value.from, to: range.value.to } : {}), order: order.value }))
const { view, trouble, running, accept } = useImage(channels, asked)
const part = ref<'image' | 'sides'>('image')
const way = ref<Way>('turned')

const pair = computed(() => (view.value?.image.pairs.length === 1 ? view.value.image.pairs[0]! : null))
const judged = computed(() => (pair.value ? view.value!.repair.pairs[0]! : null))
const proposes = computed(() => view.value?.repair.channels.some(({ correction: k, verdict }) => verdict !== 'undecided' && (k.offset_frames !== 0 || k.invert || k.gain_db !== 0)) ?? false)
const names = computed(() => set.value?.tracks.map((t, c) => view.value?.places?.[c] ? short(view.value.places[c]!) : t.name) ?? [])
const dots = shallowRef<Float32Array | null>(null)
const now = shallowRef<{ full: number | null; low: number | null } | null>(null)

const SHORT: Record<string, string> = { left: 'L', right: 'R', centre: 'C', lfe: 'LFE', left_surround: 'Ls', right_surround: 'Rs', left_back: 'Lb', right_back: 'Rb', top_front_left: 'Ltf', top_front_right: 'Rtf', top_back_left: 'Ltb', top_back_right: 'Rtb' }
const short = (place: string) => SHORT[place] ?? place
const signed = (v: number | null | undefined, digits: number, unit = '') => (v === null || v === undefined ? 'no signal' : `${v > 0 ? '+' : ''}${fixed(v, digits)}${unit}`)

// What is heard here is these two, hard left and right: the picture is of what sounds.
function hearSet(): void {
  if (channels.value.length !== 2) return
  store.choose(channels.value[0]!, channels.value[1]!)
  store.hearHere('apart')
}
onMounted(hearSet)
watch(channels, (now, was) => now.join() !== was.join() && chosen.value !== 'pair' && hearSet())
onBeforeUnmount(() => store.hearHere(null))
watch(
  () => [store.heard.frame, store.heard.corrected] as const,
  () => {
    const block = store.transport?.heard()
    if (!store.heard.playing || !block || store.scope !== 'apart') return
    const which = store.heard.corrected ? 'corrected' : 'recorded'
    dots.value = block.dots[which]
    const known = (v: number) => (Number.isNaN(v) ? null : v)
    now.value = { full: known(block[which].correlation), low: known(block[which].lowCorrelation) }
  },
)

const at = computed(() => (view.value ? (store.heard.frame - view.value.image.first) / store.rateHz : null))
const directions = computed(() => pair.value?.directions ?? [])
const { canvas: gonio } = useSurface((s) => paintGoniometer(s, palette(), dots.value, directions.value, way.value), [dots, directions, way])
const { canvas: strip } = useSurface(
  (s) => pair.value && paintStrip(s, palette(), { full: pair.value.strip, low: pair.value.low_strip, stepS: pair.value.strip_step_s }, at.value),
  [pair, at],
)
/** Where no constant delay was found, no line is fitted. */
const { canvas: phase } = useSurface(
  (s) => pair.value && paintPhase(s, palette(), judged.value?.delay_frames ? pair.value.pair : { ...pair.value.pair, phase: pair.value.pair.phase.map((q) => ({ ...q, residual_deg: q.residual_deg + q.delay_deg, delay_deg: 0 })) }, false),
  [pair],
)
const { canvas: sum } = useSurface((s) => judged.value && paintSum(s, palette(), judged.value.sum_gain), [judged])
/** Channels that are turned over, or that stay opposed to another as prominent. */
const alarmed = computed(() => new Set(view.value?.repair.findings.filter((f) => f.kind === 'channel_inverted' || f.kind === 'lasting_opposition').flatMap((f) => f.channels) ?? []))
/** Two of them against each other: turned over by their strikes, or opposed for long with both prominent. */
function opposed(a: number, b: number): boolean {
  const both = (x: { a: number; b: number }) => x.a === Math.min(a, b) && x.b === Math.max(a, b)
  const judgedSo = view.value?.repair.pairs.some((j) => both(j) && j.invert)
  return judgedSo || (view.value?.repair.findings.some((f) => f.kind === 'lasting_opposition' && f.channels.includes(a) && f.channels.includes(b) && a !== b) ?? false)
}
const around = computed(() =>
  (view.value?.image.channels ?? []).map((c, i) => ({ name: names.value[i] ?? '', degrees: view.value?.degrees[i] ?? (360 / view.value!.image.channels.length) * i, rmsDb: c.rms_db ?? null, alarmed: alarmed.value.has(i) })),
)
const { canvas: surround } = useSurface((s) => !pair.value && view.value && paintSurround(s, palette(), around.value), [around])
const { canvas: fold } = useSurface((s) => view.value && paintFold(s, palette(), view.value.to_stereo, view.value.to_mono), [view])

function seekStrip(e: MouseEvent): void {
  const p = pair.value
  if (!p || !view.value) return
  const width = (e.currentTarget as HTMLElement).clientWidth
  const part = Math.min(Math.max((e.offsetX - 40) / (width - 50), 0), 1)
  store.transport?.seek(view.value.image.first + part * p.strip.length * p.strip_step_s * store.rateHz)
}

function between(a: number, b: number) {
  return view.value?.image.pairs.find((p) => p.a === Math.min(a, b) && p.b === Math.max(a, b))
}

/** Turns left and right of the set round: names of sides, nothing of the sound. */
async function swapSides(): Promise<void> {
  const two = set.value?.tracks
  if (two?.length !== 2) return
  const [l, r] = [two[0]!, two[1]!]
  await store.decide(`Sides of ${l.name} and ${r.name} exchanged`, [
    { track_id: l.id, after: { side: r.side } },
    { track_id: r.id, after: { side: l.side } },
  ])
}

useKeys('Stereo', [
  { key: 'Enter', label: 'Accept the proposed repair', run: () => proposes.value && void accept() },
])
</script>

<template>
  <div class="stereo">
    <div v-if="store.tracks.length < 2" class="view">
      <h1>Stereo</h1>
      <p>Two channels are needed. <router-link :to="{ name: 'recordings', params: { session: store.id } }">Bring in recordings</router-link>, or a file of several channels.</p>
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
          <button :aria-pressed="onlyLoop" :disabled="!range" data-test="only-loop" :title="range ? 'Only what the loop holds' : 'There is no loop: drag in the ruler of the lanes, or use , and . while playing'" @click="onlyLoop = true">Loop</button>
        </div>
        <div v-if="part === 'image' && view && !pair && !view.places_by_file" class="choice" role="group" aria-label="Order of the channels">
          <button :aria-pressed="order === 'wav'" title="L R C LFE, back, side: the order of WAV masks" @click="order = 'wav'">WAV order</button>
          <button :aria-pressed="order === 'smpte'" title="L R C LFE, side, back: the order of SMPTE" data-test="smpte" @click="order = 'smpte'">SMPTE order</button>
        </div>
        <span v-if="part === 'image'" class="soft window">as carried now; windows of 0.4 s, gated under −60 dBFS RMS</span>
        <span class="fill" />
        <button v-if="channels.length === 2" class="plain" data-test="swap-sides" @click="swapSides">Exchange sides</button>
      </div>
      <LanesFold />
      <SidesTable v-if="part === 'sides'" />
      <p v-else-if="trouble" class="sentence undecided" role="alert">{{ trouble }}</p>
      <p v-else-if="running && !view" class="sentence" role="status">{{ running.title }}: {{ Math.round(running.progress * 100) }} %</p>
      <p v-else-if="judged" class="sentence" :class="judged.verdict" data-test="image-sentence" :data-verdict="judged.verdict" :data-delay="judged.delay_frames" :data-invert="judged.invert">
        {{ judged.text.charAt(0).toUpperCase() + judged.text.slice(1) }}
      </p>
      <p v-else-if="view" class="sentence" data-test="image-sentence">{{ view.image.channels.length }} channels{{ view.places ? `: ${names.join(' ')}` : ', of unknown layout: every two are compared, nothing is folded down' }}.</p>
      <div v-if="view && part === 'image'" class="plots" :class="{ many: !pair }">
        <template v-if="pair">
          <figure class="tall">
            <figcaption class="spread">
              <b>How wide?</b> <span class="soft">dots: now</span>
              <button class="plain small" data-test="xy" @click="way = way === 'xy' ? 'turned' : 'xy'">{{ way === 'xy' ? 'turned' : 'XY' }}</button>
            </figcaption>
            <canvas ref="gonio" role="img" aria-label="Goniometer: left against right, the zone in which they oppose tinted" data-test="goniometer" />
            <dl class="under">
              <dt>Correlation</dt><dd class="mono">{{ signed(pair.correlation, 2) }}<span v-if="now" :class="(now.full ?? 0) < 0 ? 'caution' : 'soft'" data-test="now-full"> now {{ signed(now.full, 2) }}</span></dd>
              <dt>Below 200 Hz</dt><dd class="mono">{{ signed(pair.low_correlation, 2) }}<span v-if="now" :class="(now.low ?? 0) < 0 ? 'caution' : 'soft'" data-test="now-low"> now {{ signed(now.low, 2) }}</span></dd>
              <dt>Below zero</dt><dd class="mono">{{ fixed(pair.opposed_part * 100, 0) }} % of the time</dd>
              <dt>Balance</dt><dd class="mono">{{ signed(pair.balance_db, 2, ' dB RMS') }}</dd>
              <dt /><dd class="mono">{{ signed(pair.loudness_balance_db, 2, ' LU') }}</dd>
              <dt>Strikes</dt><dd class="mono">{{ pair.votes[0] }}, {{ pair.votes[1] }} opposed</dd>
            </dl>
          </figure>
          <figure>
            <figcaption><b>Does it last?</b> <span class="soft">line: below 200 Hz, over 1 s</span></figcaption>
            <canvas ref="strip" role="img" aria-label="Correlation along the session" data-test="strip" @click="seekStrip" />
          </figure>
          <figure>
            <figcaption><b>One delay, or does phase turn?</b></figcaption>
            <canvas ref="phase" role="img" aria-label="Phase of the second channel against the first by frequency" />
          </figure>
          <figure>
            <figcaption><b>What is lost in the sum?</b> <span class="soft">light: now, dark: repaired</span></figcaption>
            <canvas ref="sum" role="img" aria-label="Sum gain by third-octave" />
          </figure>
          <figure>
            <figcaption><b>What does mono keep?</b> <span class="soft">of each third-octave</span></figcaption>
            <canvas ref="fold" role="img" aria-label="Fold-down to mono by third-octave" />
          </figure>
        </template>
        <template v-else>
          <figure>
            <figcaption><b>How does every two stand?</b> <span class="soft">correlation over the whole</span></figcaption>
            <div class="scroll">
              <table class="matrix" data-test="matrix">
                <thead>
                  <tr><th /><th v-for="n in names" :key="n">{{ n }}</th></tr>
                </thead>
                <tbody>
                  <tr v-for="(n, a) in names" :key="n">
                    <th>{{ n }}</th>
                    <td v-for="(_, b) in names" :key="b" :class="{ alarm: opposed(a, b) }">
                      {{ a === b ? '' : (between(a, b)?.correlation ?? null) === null ? '·' : signed(between(a, b)!.correlation, 2) }}
                    </td>
                  </tr>
                </tbody>
              </table>
            </div>
          </figure>
          <figure>
            <figcaption><b>How loud from where?</b> <span class="soft">dBFS RMS, rings 12 dB apart</span></figcaption>
            <canvas ref="surround" role="img" aria-label="Level by direction, seen from above" data-test="surround" />
          </figure>
          <figure class="low">
            <figcaption><b>What do the fold-downs keep?</b> <span class="soft">ITU-R BS.775, by third-octave; light: stereo, dark: mono</span></figcaption>
            <canvas ref="fold" role="img" aria-label="Fold-down by third-octave" data-test="fold" />
          </figure>
        </template>
        <aside>
          <dl v-if="!pair">
            <template v-for="(c, i) in view.image.channels" :key="i">
              <dt>{{ names[i] }}</dt><dd class="mono">{{ c.rms_db === null || c.rms_db === undefined ? 'silent' : `${fixed(c.rms_db, 1)} dBFS` }}</dd>
            </template>
          </dl>
          <h2>Findings</h2>
          <p v-if="view.repair.findings.length === 0" class="soft" data-test="no-findings">Nothing is wrong between these channels.</p>
          <article v-for="f in view.repair.findings" :key="f.kind + f.channels.join()" :class="f.severity" :data-finding="f.kind">
            <p>{{ f.text }}</p>
            <p class="soft">{{ f.advice }} <b>{{ f.verdict }}</b></p>
          </article>
          <el-button v-if="proposes" type="primary" size="small" title="Enter" data-test="accept-repair" @click="accept">Accept the repair</el-button>
        </aside>
      </div>
    </template>
  </div>
</template>

<style scoped>
.stereo {
  height: 100%;
  display: flex;
  flex-direction: column;
  gap: 8px;
  padding: 8px 12px;
  box-sizing: border-box;
}
.pickers {
  display: flex;
  align-items: center;
  gap: 8px;
  white-space: nowrap;
}
.set {
  width: 300px;
}
.fill {
  flex: 1;
}
.spread {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
.spread .small {
  margin-left: auto;
}
.small {
  font-size: 12px;
  padding: 0 5px;
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
.plots .tall {
  grid-row: span 2;
}
.plots.many {
  grid-template: minmax(0, 1.3fr) minmax(0, 1fr) / minmax(0, 1.15fr) minmax(0, 1fr) 270px;
}
.low {
  grid-column: span 2;
}
.alarm {
  color: var(--caution);
  font-weight: 600;
}
.alarm::before {
  content: '▼ ';
}
.under {
  padding: 0 12px;
}
.scroll {
  overflow: auto;
  padding: 8px;
}
.matrix {
  border-collapse: collapse;
  font: 13px var(--mono);
}
.matrix th,
.matrix td {
  height: 28px;
  min-width: 46px;
  padding: 0 6px;
  text-align: right;
  border-bottom: 1px solid var(--line);
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
article p {
  margin: 0 0 2px;
}
</style>
