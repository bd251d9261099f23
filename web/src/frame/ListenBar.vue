<script setup lang="ts">
import { computed, ref, watch } from 'vue'
import { useSurface } from '../plot/surface'
import { useSession, type Scope } from '../session/store'
import { useKeys } from '../shared/keys'
import { palette } from '../shared/theme'
import { barsBeats, clock, dbfs, samples } from '../shared/units'
import { LevelHistory } from './levelHistory'

const store = useSession()
const history = new LevelHistory()
const reading = ref<{ left: number | null; right: number | null; correlation: number | null; nullDb: number | null }>({ left: null, right: null, correlation: null, nullDb: null })

watch(
  () => [store.heard.frame, store.heard.corrected] as const,
  () => {
    const block = store.transport?.heard()
    if (!store.heard.playing || !block) return
    const r = store.heard.corrected ? block.corrected : block.recorded
    const correlation = Number.isNaN(r.correlation) ? null : r.correlation
    history.push(block.start, block.frames / store.rateHz, correlation)
    reading.value = { left: dbfs(r.rms[0]), right: dbfs(r.rms[1]), correlation, nullDb: Number.isNaN(r.nullDepthDb) ? null : r.nullDepthDb }
  },
)

const { canvas } = useSurface(
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
  },
  [reading],
)

const level = (v: number | null) => (v === null || v < -90 ? 'silent' : `${v.toFixed(1).replace('-', '\u2212')}`)
const strip = computed(() => {
  const depth = reading.value.nullDb
  if (store.difference && depth !== null) return `difference: ${depth < 0 ? '\u2212' : '+'}${Math.abs(depth).toFixed(1)} dB against the first`
  const c = reading.value.correlation
  return c === null ? 'correlation: no signal' : `correlation ${c < 0 ? '\u2212' : '+'}${Math.abs(c).toFixed(2)}, last 20 s`
})

function setScope(scope: Scope): void {
  store.scope = scope
  store.pushMix()
}

function setMono(on: boolean): void {
  store.mono = on
  store.pushMix()
}

function setDifference(on: boolean): void {
  store.difference = on
  store.pushMix()
}

function skip(seconds: number): void {
  store.transport?.seek(store.heard.frame + seconds * store.rateHz)
}

useKeys('Listening', [
  { key: ' ', label: 'Play or stop', run: () => void store.toggleSound() },
  { key: 'c', label: 'As recorded / as corrected', run: () => store.transport?.hear(!store.heard.corrected) },
  { key: 's', label: 'This pair / whole session', run: () => setScope(store.scope === 'pair' ? 'session' : 'pair') },
  { key: 'h', label: 'This pair hard left and right', run: () => setScope(store.scope === 'apart' ? 'pair' : 'apart') },
  { key: 'm', label: 'Mono', run: () => setMono(!store.mono) },
  { key: 'v', label: 'Difference of the pair', run: () => setDifference(!store.difference) },
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
      <b class="mono">{{ barsBeats(store.heard.frame, store.measure) }}</b>
      <span class="mono soft">{{ clock(store.heard.frame, store.rateHz) }} · {{ samples(store.heard.frame) }}</span>
    </div>
    <div class="choice" role="group" aria-label="What is heard">
      <button :aria-pressed="!store.heard.corrected" data-test="as-recorded" @click="store.transport?.hear(false)">As recorded</button>
      <button :aria-pressed="store.heard.corrected" data-test="as-corrected" @click="store.transport?.hear(true)">As corrected</button>
    </div>
    <div class="choice" role="group" aria-label="How much is heard">
      <button :aria-pressed="store.scope === 'pair'" data-test="scope-pair" @click="setScope('pair')">This pair</button>
      <button :aria-pressed="store.scope === 'apart'" data-test="scope-apart" title="The first of the pair left, the second right (H)" @click="setScope('apart')">Pair apart</button>
      <button :aria-pressed="store.scope === 'session'" data-test="scope-session" @click="setScope('session')">Whole session</button>
    </div>
    <div class="choice" role="group" aria-label="How it is heard">
      <button :aria-pressed="store.mono" data-test="mono" @click="setMono(!store.mono)">Mono</button>
      <button :aria-pressed="store.difference" data-test="difference" title="The first of the pair minus the second: what is left when they agree (V)" @click="setDifference(!store.difference)">Difference</button>
    </div>
    <div class="strip" data-test="strip-text" :data-null="reading.nullDb">
      <canvas ref="canvas" role="img" :aria-label="strip" />
      <span class="soft">{{ strip }}</span>
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
  padding: 0 16px;
  background: var(--panel);
  border-top: 1px solid var(--line);
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
