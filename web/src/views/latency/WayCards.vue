<script setup lang="ts">
import { computed } from 'vue'
import { vTyped } from '../../shared/typed'
import { span, type Measure, type Unit } from '../../shared/units'
import type { PathMap } from './map'
import type { PathWay, PathsShown, PathsView, WayView } from './usePaths'

const props = defineProps<{ shown: PathsShown; view: PathsView; map: PathMap; unit: Unit; measure: Measure; busy: boolean }>()
const under = defineModel<number>('under', { required: true })
const emit = defineEmits<{ choose: [way: PathWay] }>()

const TITLES: Record<PathWay, string> = { wait: 'Everything waits', pull: 'Late ones play earlier', off: 'Stages off', none: 'As aligned' }
const own = computed<Measure>(() => ({ ...props.measure, rateHz: props.map.sample_rate_hz }))
const told = (frames: number) => span(frames, props.unit, own.value)
const way = (which: PathWay) => props.view.ways.find((w) => w.way === which)
const cards = computed(() => (['wait', 'pull', 'off'] as const).map(way).filter((w): w is WayView => w !== undefined))

function total(w: WayView): string {
  if (w.way === 'wait') return `The output is ${told(w.latency_frames)} late, all together.`
  if (w.way === 'pull')
    return w.before_frames > 0 ? `The output is on time; tracks begin up to ${told(w.before_frames)} earlier.` : 'Nothing is late.'
  if (!w.possible) return `Even with all of them off a path takes ${told(w.latency_frames)}.`
  if (w.off.length === 0) return `All paths are under it: ${told(w.latency_frames)} at most.`
  return `Then ${told(w.latency_frames)} at most. ${w.fewest ? 'No fewer do.' : 'Fewer may do; the search was given up.'}`
}

function left(w: WayView): string {
  if (w.unequal === 0) return ''
  const at = w.add.slice(0, 2).map((a) => `${told(a.frames)} on ${props.view.edges[a.edge]!.name}`)
  const more = w.add.length > 2 ? ` and ${w.add.length - 2} more` : ''
  const add = at.length > 0 ? ` Add ${at.join(', ')}${more}.` : ''
  return `${w.unequal === 1 ? 'One meeting stays' : `${w.unequal} meetings stay`} unequal.${add}`
}

const HEIGHT = 36
/** Every track as a line to scale: its path, and what the way puts before it. */
function lines(w: WayView): { y: number; path: string; moved: string }[] {
  const tracks = (way('pull')?.tracks ?? []).map((t) => ({ node: t.node, late: -t.frames }))
  const most = Math.max(1, ...tracks.map((t) => t.late))
  const step = Math.min(6, HEIGHT / Math.max(1, tracks.length))
  const x = (frames: number) => (w.way === 'pull' ? 392 : 8) + (frames / most) * 384
  const off = w.way === 'off' ? 1 : 0
  return tracks.map((t, i) => {
    const by = w.tracks.find((m) => m.node === t.node)?.frames ?? 0
    const y = 4 + i * step
    const late = off ? Math.min(t.late, w.latency_frames) : t.late
    return { y, path: `M${x(by).toFixed(1)} ${y}H${x(by + late).toFixed(1)}`, moved: by > 0 ? `M${x(0)} ${y}H${x(by).toFixed(1)}` : '' }
  })
}

function takeUnder(e: Event): void {
  const ms = Number((e.target as HTMLInputElement).value.replace(',', '.'))
  if (Number.isFinite(ms) && ms >= 0 && ms <= 60000) under.value = ms
}
</script>

<template>
  <div class="ways" role="group" aria-label="Three ways to make up for it">
    <article v-for="w in cards" :key="w.way" :class="{ chosen: shown.chosen === w.way }" :data-test="`way-${w.way}`">
      <header>
        <h2>{{ TITLES[w.way] }}</h2>
        <label v-if="w.way === 'off'" class="limit"
          >to stay under <input v-typed="under" aria-label="Limit in ms" data-test="under" size="5" @change="takeUnder" /> ms</label
        >
        <span v-if="shown.chosen === w.way" class="now">chosen</span>
      </header>
      <svg viewBox="0 0 400 40" preserveAspectRatio="none" aria-hidden="true">
        <path class="zero" :d="w.way === 'pull' ? 'M392 0v40' : 'M8 0v40'" />
        <g v-for="(l, i) in lines(w)" :key="i">
          <path v-if="l.moved" class="waits" :d="l.moved" />
          <path class="runs" :d="l.path" />
        </g>
      </svg>
      <p>
        {{ total(w) }}
        <template v-if="w.off.length > 0"
          >Off: <b>{{ w.off.map((s) => s.name).join(', ') }}</b>.</template
        >
      </p>
      <p v-if="left(w)" class="soft">{{ left(w) }}</p>
      <footer>
        <button
          class="do"
          :disabled="busy || shown.chosen === w.way || !w.possible || (w.way === 'off' && w.off.length === 0)"
          @click="emit('choose', w.way)"
        >
          {{ w.way === 'off' ? 'Switch them off' : 'Choose' }}
        </button>
        <button
          v-if="shown.chosen === w.way || (shown.stale && w.way === 'wait')"
          class="link"
          data-test="way-none"
          @click="emit('choose', 'none')"
        >
          Take it out
        </button>
      </footer>
    </article>
  </div>
</template>

<style scoped>
.ways {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
  gap: 8px;
}
article {
  background: var(--panel);
  border: 1px solid var(--line);
  padding: 6px 10px 8px;
  display: flex;
  flex-direction: column;
  min-width: 0;
}
article.chosen {
  border-color: var(--depth);
  border-width: 2px;
  padding: 5px 9px 7px;
}
header {
  display: flex;
  align-items: baseline;
  gap: 8px;
  white-space: nowrap;
}
h2 {
  font-size: 14px;
}
.limit {
  font-size: 13px;
}
.limit input {
  font: inherit;
  color: var(--ink);
  background: var(--paper);
  border: 1px solid var(--line);
  border-radius: 3px;
  width: 52px;
  padding: 0 3px;
}
.now {
  margin-left: auto;
  font-size: 12px;
  color: var(--clear);
  border: 1px solid currentcolor;
  border-radius: 9px;
  padding: 0 7px;
}
svg {
  width: 100%;
  height: 40px;
  flex: none;
  margin: 3px 0 1px;
}
.zero {
  stroke: var(--line);
  stroke-width: 1.5;
  vector-effect: non-scaling-stroke;
}
.runs {
  stroke: var(--depth);
  stroke-width: 2.5;
  vector-effect: non-scaling-stroke;
}
.waits {
  stroke: var(--soft);
  stroke-width: 1.2;
  stroke-dasharray: 3 3;
  vector-effect: non-scaling-stroke;
}
p {
  margin: 1px 0 0;
  font-size: 12.5px;
  line-height: 1.3;
  overflow-wrap: anywhere;
}
footer {
  margin-top: auto;
  padding-top: 4px;
  display: flex;
  gap: 12px;
}
@media (max-width: 900px) {
  .ways {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
