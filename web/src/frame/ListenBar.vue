<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useSurface } from '../plot/surface'
import { useSession, type Scope } from '../session/store'
import { useKeys } from '../shared/keys'
import { tellTrouble } from '../shared/notice'
import { palette } from '../shared/theme'
import { barsBeats } from '../shared/beats'
import { clock, dbfs, samples } from '../shared/units'
import { LevelHistory } from './levelHistory'

const store = useSession()
const history = new LevelHistory()
const lows = new LevelHistory()
const reading = ref<Heard>({ left: null, right: null, correlation: null, low: null, nullDb: null, matched: null })

interface Heard {
  left: number | null
  right: number | null
  correlation: number | null
  low: number | null
  nullDb: number | null
  /** Levels in dB of as corrected and as recorded. */
  matched: [number, number] | null
}

/** Shorter dips are usual with strikes and with room. */
const LASTING_S = 3
const opposedS = ref(0)

const known = (v: number) => (Number.isNaN(v) ? null : v)
watch(
  () => [store.heard.frame, store.heard.corrected] as const,
  () => {
    const block = store.transport?.heard()
    if (!store.heard.playing || !block) return
    const r = store.heard.corrected ? block.corrected : block.recorded
    history.push(block.start, block.seconds, known(r.correlation))
    opposedS.value = history.opposedS()
    lows.push(block.start, block.seconds, known(r.lowCorrelation))
    reading.value = {
      left: dbfs(r.rms[0]),
      right: dbfs(r.rms[1]),
      correlation: known(r.correlation),
      low: known(r.lowCorrelation),
      nullDb: known(r.nullDepthDb),
      matched: Number.isNaN(block.matchedDb[0]) ? null : block.matchedDb,
    }
  },
)

useSurface(
  'canvas',
  ({ ctx, width, height }) => {
    const p = palette()
    ctx.fillStyle = p.line
    ctx.fillRect(0, height / 2, width, 1)
    const bars = history.bars()
    const w = width / bars.length
    bars.forEach((c, i) => {
      if (c === null) return
      ctx.fillStyle = c < 0 ? p.caution : p.depth
      const h = (c * height) / 2
      ctx.fillRect(i * w, height / 2 - Math.max(h, 0), Math.max(w - 1, 1), Math.max(Math.abs(h), 1))
    })
    // Below 200 Hz as a line over the bars.
    ctx.fillStyle = p.ink
    lows.bars().forEach((c, i) => c !== null && ctx.fillRect(i * w, height / 2 - (c * height) / 2 - 0.5, w, 1.5))
  },
  [reading],
)

const level = (v: number | null) => (v === null || v < -90 ? 'silent' : `${v.toFixed(1).replace('-', '\u2212')}`)
const signed = (v: number) => `${v < 0 ? '\u2212' : '+'}${Math.abs(v).toFixed(2)}`
const strip = computed(() => {
  const { nullDb, correlation, low } = reading.value
  if (heardAs.value.difference && nullDb !== null)
    return `difference: ${nullDb < 0 ? '\u2212' : '+'}${Math.abs(nullDb).toFixed(1)} dB against the first`
  if (correlation === null) return 'correlation: no signal'
  if (opposedS.value >= LASTING_S) return `opposed for ${opposedS.value.toFixed(0)} s: mono loses what both carry`
  return `correlation ${signed(correlation)}, below 200 Hz ${low === null ? 'no signal' : signed(low)}`
})

const heardAs = computed(() => store.desk.listening)
const set = store.desk.setListening
const range = computed(() => store.desk.state.range ?? null)
/** What matching does to the one that is heard. */
const match = computed(() => {
  if (!heardAs.value.matched) return 'Match loudness'
  const db = reading.value.matched?.[heardAs.value.corrected ? 0 : 1]
  if (db === undefined) return 'Matched: …'
  return `Matched ${db < -0.005 ? `\u2212${(-db).toFixed(2)}` : '0.00'} dB`
})
const SPEEDS = [1, 0.75, 0.5, 0.25]

function setScope(scope: Scope): void {
  if (store.scopeHere) store.hearHere(null)
  set({ scope })
}

function slower(): void {
  set({ speed: SPEEDS[(SPEEDS.indexOf(heardAs.value.speed) + 1) % SPEEDS.length] ?? 1 })
}

function skip(seconds: number): void {
  store.transport?.seek(store.heard.frame + seconds * store.rateHz)
}

/** The loop begins or ends here; what would be nothing or less is moved to a second. */
function bound(which: 'from' | 'to'): void {
  const here = Math.round(store.heard.frame)
  const second = store.rateHz
  const now = range.value ?? { from: here, to: here + second, on: true, pre_roll_s: 0 }
  const next = { ...now, [which]: here }
  if (next.to - next.from < second / 50) Object.assign(next, which === 'from' ? { to: here + second } : { from: here - second })
  store.desk.setRange(next)
}

function toggleLoop(): void {
  if (range.value) store.desk.setRange({ ...range.value, on: !range.value.on })
  else tellTrouble('There is no loop yet: , begins it where the sound stands, . ends it.')
}

/** From 0.3 s before what is shown at a fifth of the lanes (where hits are put) to 0.7 s after it. */
function aroundHit(): void {
  const hit = store.hitShown ?? store.heard.frame
  void store.playOnce(hit - 0.3 * store.rateHz, hit + 0.7 * store.rateHz)
}

function mark(): void {
  const frame = Math.round(store.heard.frame)
  const markers = store.desk.state.markers
  const name = `Mark ${markers.length + 1}`
  store.desk.change({ markers: [...markers.filter((m) => m.frame !== frame), { frame, name }] }, `${name} set`)
}

function stepMark(by: 1 | -1): void {
  const here = store.heard.frame
  const sorted = [...store.desk.state.markers].sort((a, b) => a.frame - b.frame)
  const next =
    by > 0
      ? sorted.find((m) => m.frame > here + 1)
      : sorted.reverse().find((m) => m.frame < here - (store.heard.playing ? store.rateHz / 2 : 1))
  if (next) store.transport?.seek(next.frame)
}

useKeys('Listening', [
  { key: ' ', label: 'Play or stop', run: () => void store.toggleSound() },
  { key: 'c', label: 'As recorded / as corrected', run: () => set({ corrected: !heardAs.value.corrected }) },
  { key: 's', label: 'This pair / whole session', run: () => setScope(store.scope === 'pair' ? 'session' : 'pair') },
  { key: 'h', label: 'This pair hard left and right', run: () => setScope(store.scope === 'apart' ? 'pair' : 'apart') },
  { key: 'o', label: 'Only the group of the moved track', run: () => setScope('group') },
  { key: 'm', label: 'Mono', run: () => set({ mono: !heardAs.value.mono }) },
  { key: 'v', label: 'Difference of the pair', run: () => set({ difference: !heardAs.value.difference }) },
  { key: 'e', label: 'Exchange left and right', run: () => set({ swap: !heardAs.value.swap }) },
  { key: 'q', label: 'Dim by 20 dB', run: () => set({ dim: !heardAs.value.dim }) },
  { key: 'y', label: 'Match the loudness of as recorded and as corrected', run: () => set({ matched: !heardAs.value.matched }) },
  { key: 'i', label: 'Click on the beats', run: () => set({ click: !heardAs.value.click }) },
  { key: 'j', label: 'Slower: 75, 50, 25 %, and back', run: slower },
  { key: 'p', label: 'Play just around the hit', run: aroundHit },
  { key: 'l', label: 'Loop on or off', run: toggleLoop },
  { key: ',', label: 'The loop begins here', run: () => bound('from') },
  { key: '.', label: 'The loop ends here', run: () => bound('to') },
  { key: 'k', label: 'Mark this place', run: mark },
  { key: '1', label: 'Bar 1 begins at this place', run: store.beginBar },
  { key: 'Ctrl+ArrowRight', label: 'Next mark', run: () => stepMark(1) },
  { key: 'Ctrl+ArrowLeft', label: 'Mark before', run: () => stepMark(-1) },
  { key: 'PageUp', label: 'Back 5 s', run: () => skip(-5) },
  { key: 'PageDown', label: 'On 5 s', run: () => skip(5) },
])
</script>

<template>
  <footer
    data-test="listen-bar"
    :data-playing="store.heard.playing"
    :data-frame="store.heard.frame"
    :data-blocks="store.heard.blocks"
    :data-gaps="store.heard.gaps"
    :data-context="store.heard.context"
    :data-answer-ms="store.heard.answerMs"
    :data-sound-s="store.heard.soundS"
  >
    <button
      class="play"
      :disabled="!store.transport || store.tracks.length === 0"
      :aria-label="store.heard.playing ? 'Stop' : 'Play'"
      data-test="play"
      @click="store.toggleSound()"
    >
      {{ store.heard.playing ? '■' : '▶' }}
    </button>
    <div class="place">
      <b class="mono">{{ barsBeats(store.heard.frame, store.measure.beats) }}</b>
      <span class="mono soft">{{ clock(store.heard.frame, store.rateHz) }} · {{ samples(store.heard.frame) }}</span>
    </div>
    <div class="switches">
      <div>
        <div class="choice" role="group" aria-label="What is heard">
          <button :aria-pressed="!heardAs.corrected" data-test="as-recorded" @click="set({ corrected: false })">As recorded</button>
          <button :aria-pressed="heardAs.corrected" data-test="as-corrected" @click="set({ corrected: true })">As corrected</button>
        </div>
        <div class="choice" role="group" aria-label="How much is heard">
          <button :aria-pressed="store.scope === 'pair'" data-test="scope-pair" title="The two of the pair (S)" @click="setScope('pair')">
            This pair
          </button>
          <button
            :aria-pressed="store.scope === 'apart'"
            data-test="scope-apart"
            title="The first of the pair left, the second right (H)"
            @click="setScope('apart')"
          >
            Apart
          </button>
          <button
            :aria-pressed="store.scope === 'group'"
            data-test="scope-group"
            title="The group of the track that is moved, or its file (O)"
            @click="setScope('group')"
          >
            Group
          </button>
          <button
            :aria-pressed="store.scope === 'session'"
            data-test="scope-session"
            title="Whole session (S)"
            @click="setScope('session')"
          >
            Session
          </button>
        </div>
      </div>
      <div>
        <div class="choice" role="group" aria-label="Loudness">
          <button
            :aria-pressed="heardAs.matched"
            data-test="matched"
            title="As recorded and as corrected at the same loudness, after ITU-R BS.1770: the louder one is brought down (Y)"
            @click="set({ matched: !heardAs.matched })"
          >
            {{ match }}
          </button>
        </div>
        <div class="choice" role="group" aria-label="How it is heard">
          <button :aria-pressed="heardAs.mono" data-test="mono" title="Both sides summed (M)" @click="set({ mono: !heardAs.mono })">
            Mono
          </button>
          <button
            :aria-pressed="heardAs.difference"
            data-test="difference"
            title="The first of the pair minus the second: what is left when they agree (V)"
            @click="set({ difference: !heardAs.difference })"
          >
            Difference
          </button>
          <button :aria-pressed="heardAs.swap" data-test="swap" title="Left and right exchanged (E)" @click="set({ swap: !heardAs.swap })">
            L ⇄ R
          </button>
          <button :aria-pressed="heardAs.dim" data-test="dim" title="20 dB quieter (Q)" @click="set({ dim: !heardAs.dim })">Dim</button>
        </div>
        <div class="choice" role="group" aria-label="What is played">
          <button
            :aria-pressed="range?.on ?? false"
            data-test="loop"
            title="Stay in the loop (L); , begins it, . ends it"
            @click="toggleLoop"
          >
            Loop
          </button>
          <button data-test="around-hit" title="Just around the hit (P)" @click="aroundHit">Hit</button>
          <button :aria-pressed="heardAs.click" data-test="click" title="A click on every beat (I)" @click="set({ click: !heardAs.click })">
            Click
          </button>
          <button :aria-pressed="heardAs.speed < 1" data-test="speed" title="Slower, with the pitch (J)" @click="slower">
            {{ Math.round(heardAs.speed * 100) }} %
          </button>
        </div>
      </div>
    </div>
    <div class="strip" data-test="strip-text" :data-null="reading.nullDb" :data-low="reading.low">
      <canvas ref="canvas" role="img" :aria-label="strip" />
      <span :class="opposedS >= LASTING_S ? 'caution' : 'soft'">{{ strip }}</span>
    </div>
    <div class="levels mono">
      <span>L {{ level(reading.left) }}</span>
      <span>R {{ level(reading.right) }}</span>
      <span class="soft">dBFS RMS</span>
    </div>
  </footer>
</template>

<style scoped>
footer {
  grid-area: bar;
  display: flex;
  align-items: center;
  gap: 14px;
  min-height: 64px;
  box-sizing: border-box;
  padding: 0 16px;
  background: var(--panel);
  border-top: 1px solid var(--line);
}
@media (max-width: 1180px) {
  .strip {
    flex: 0 1 150px;
  }
  footer {
    gap: 10px;
    padding: 0 8px;
  }
  .place {
    min-width: 150px !important;
  }
}
@media (max-width: 900px), (max-height: 560px) {
  footer {
    min-height: 46px;
  }
  .strip,
  .levels {
    display: none !important;
  }
  .place {
    min-width: 96px !important;
  }
  .place span {
    display: none;
  }
  .switches {
    flex-direction: row !important;
    overflow-x: auto;
    padding: 6px 0;
  }
}
.play {
  width: 38px;
  height: 38px;
  border-radius: 50%;
  border: 0;
  background: var(--ink);
  color: var(--panel);
  font-size: 14px;
  cursor: pointer;
  flex: none;
}
.play:disabled {
  opacity: 0.4;
  cursor: default;
}
.place {
  display: flex;
  flex-direction: column;
  min-width: 178px;
}
.place b {
  font-size: 16px;
}
.place span {
  font-size: 12px;
}
.switches {
  display: flex;
  flex-direction: column;
  gap: 4px;
}
.switches > div {
  display: flex;
  gap: 8px;
}
.switches .choice button {
  padding: 0 8px;
  height: 25px;
  font-size: 12px;
  white-space: nowrap;
}
.strip {
  flex: 1;
  min-width: 80px;
  font-size: 12px;
}
.strip canvas {
  display: block;
  width: 100%;
  height: 26px;
}
.strip span {
  white-space: nowrap;
}
.levels {
  display: flex;
  flex-direction: column;
  font-size: 12px;
  line-height: 1.3;
  text-align: right;
  min-width: 76px;
}
</style>
