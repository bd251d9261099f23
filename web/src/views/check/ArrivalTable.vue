<script setup lang="ts">
import { computed } from 'vue'
import { useSession } from '../../session/store'
import { distance, span } from '../../shared/units'
import TrackHead from './TrackHead.vue'
import { wavePath } from './wave'
import type { Cell, CheckView, Row } from './useCheck'

const props = defineProps<{ check: CheckView; chosen: number[] }>()
const emit = defineEmits<{ open: [row: number, track: number]; look: [row: number, track: number] }>()
const store = useSession()

const tracks = computed(() => props.check.tracks.map((id) => store.track(id)))
/** Tint of a column: what is open about that microphone. */
const tints = computed(() =>
  props.check.tracks.map((_, m) => {
    const about = props.check.findings.filter((f) => f.standing === 'open' && f.finding.about.tracks[0] === m)
    if (about.some((f) => f.finding.kind === 'late' || f.finding.kind === 'early')) return 'late'
    return about.some((f) => f.finding.severity === 'fault') ? 'fault' : ''
  }),
)

interface Shown {
  lag: number | null
  sign: number
  flip: boolean
}

/** What a cell says with the corrections heard now. Its sign is the microphone's own, as all of them together have it. */
function shown(row: Row, cell: Cell, m: number): Shown {
  const r = props.check.table.rows.indexOf(row)
  const own = cell.sign * (props.check.sources[r]?.sign ?? 1)
  const carried = props.check.carried[r]?.cells[m]
  if (!store.heard.corrected || !carried) return { lag: cell.lag_frames ?? null, sign: own, flip: false }
  return { lag: carried.lag_frames ?? null, sign: carried.inverted ? -own : own, flip: carried.inverted }
}

const beforeS = 0.002
/** Where the arrival stands in the picture, in percent of its width. */
function tick(cell: Cell): number {
  return ((beforeS + (cell.lag_frames ?? 0) / props.check.table.rate_hz) / props.check.table.wave_s) * 100
}

function label(row: Row, cell: Cell, m: number): string {
  const s = shown(row, cell, m)
  const name = props.check.sources[props.check.table.rows.indexOf(row)]?.name ?? ''
  const where = tracks.value[m]?.name ?? ''
  if (m === row.home) return `${where} is the home of ${name}: ${cell.hits} moments`
  if (s.lag === null) return `${name} in ${where}: ${cell.heard ? 'undecided' : 'not heard'}, ${cell.reason}`
  return `${name} in ${where}: ${span(s.lag, store.unit, store.measure)}, ${s.sign < 0 ? 'opposed' : 'upright'}, ${cell.verdict}: ${cell.reason}`
}

/** Arrow keys walk over the cells. */
function walk(e: KeyboardEvent, row: number, m: number): void {
  const step = { ArrowLeft: [0, -1], ArrowRight: [0, 1], ArrowUp: [-1, 0], ArrowDown: [1, 0] }[e.key]
  if (!step) return
  const next = document.querySelector<HTMLElement>(`[data-cell="${row + step[0]!}-${m + step[1]!}"]`)
  if (!next) return
  e.preventDefault()
  e.stopPropagation()
  next.focus()
}
</script>

<template>
  <div class="scroll">
    <table data-test="arrivals">
      <thead>
        <tr>
          <th class="corner">
            <span class="soft">source ↓<br />microphone →</span>
          </th>
          <th v-for="(t, m) in tracks" :key="check.tracks[m]" :class="['head', tints[m], { chosen: chosen.includes(m) }]">
            <TrackHead v-if="t" :track="t" :advice="check.advice[m]!" />
          </th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="(row, r) in check.table.rows" :key="row.home">
          <th class="source">
            <b>{{ check.sources[r]?.name }}</b>
            <span class="soft">{{ row.hits.length >= 4 ? `${row.hits.length} hits` : `${row.passages.length} passages` }}</span>
            <span v-if="!row.own_mic" class="soft">no microphone of its own</span>
          </th>
          <td
            v-for="(cell, m) in row.cells"
            :key="m"
            :class="[cell.verdict, tints[m], { home: m === row.home, chosen: chosen.includes(m) }]"
          >
            <button
              :data-cell="`${r}-${m}`"
              :aria-label="label(row, cell, m)"
              :title="label(row, cell, m)"
              @click="emit('open', r, m)"
              @focus="emit('look', r, m)"
              @mouseenter="emit('look', r, m)"
              @keydown="walk($event, r, m)"
            >
              <svg viewBox="0 0 120 44" preserveAspectRatio="none" aria-hidden="true">
                <path
                  v-if="cell.wave.length"
                  :class="{ opposed: shown(row, cell, m).sign < 0 }"
                  :d="wavePath(cell.wave, shown(row, cell, m).flip)"
                  vector-effect="non-scaling-stroke"
                />
              </svg>
              <i v-if="cell.lag_frames !== null && cell.lag_frames !== undefined" class="tick" :style="{ left: `${tick(cell)}%` }" />
              <span v-if="shown(row, cell, m).sign !== 0" :class="['way', { opposed: shown(row, cell, m).sign < 0 }]" aria-hidden="true">{{
                shown(row, cell, m).sign < 0 ? '▼' : '▲'
              }}</span>
              <span v-if="m === row.home" class="value"><b>home</b></span>
              <span v-else-if="shown(row, cell, m).lag !== null" class="value">
                <b>{{ span(shown(row, cell, m).lag!, store.unit, store.measure) }}</b>
                <span v-if="store.unit !== 'distance' && check.tracks.length < 10" class="soft" aria-hidden="true">{{
                  distance((shown(row, cell, m).lag! / store.measure.rateHz) * store.measure.speedMS)
                }}</span>
              </span>
              <span v-else class="value soft">{{ cell.heard ? 'undecided' : 'not heard' }}</span>
            </button>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.scroll {
  overflow: auto;
  min-height: 0;
  background: var(--panel);
  border: 1px solid var(--line);
}
table {
  border-collapse: separate;
  border-spacing: 0;
  width: 100%;
}
th {
  font-weight: 400;
  text-align: left;
  vertical-align: bottom;
  font-size: 12px;
  padding: 4px 6px;
  background: var(--panel);
}
thead th {
  position: sticky;
  top: 0;
  z-index: 2;
  border-bottom: 2px solid var(--ink);
}
.corner,
.source {
  position: sticky;
  left: 0;
  z-index: 1;
  min-width: 80px;
  max-width: 110px;
  border-right: 1px solid var(--line);
}
.corner {
  z-index: 3;
}
.source {
  vertical-align: middle;
  border-bottom: 1px solid var(--line);
}
.source b,
.source span {
  display: block;
}
.head {
  min-width: 66px;
  max-width: 150px;
}
.head.fault {
  border-bottom-color: var(--caution);
}
.head.late {
  border-bottom-color: var(--land);
}
td {
  padding: 0;
  border-right: 1px solid var(--line);
  border-bottom: 1px solid var(--line);
  min-width: 66px;
}
td.fault {
  background: var(--caution-fill);
}
td.late {
  background: color-mix(in srgb, var(--land) 18%, var(--panel));
}
td.undecided {
  background-image: repeating-linear-gradient(135deg, transparent 0 6px, var(--line) 6px 7px);
}
td button {
  position: relative;
  display: block;
  width: 100%;
  height: 78px;
  padding: 0;
  border: 0;
  background: none;
  font: inherit;
  color: inherit;
  cursor: pointer;
}
td.chosen button {
  box-shadow: inset 0 0 0 2px var(--ink);
}
td button:hover {
  background: color-mix(in srgb, var(--shoal) 45%, transparent);
}
svg {
  position: absolute;
  left: 0;
  top: 12px;
  width: 100%;
  height: 46px;
}
path {
  fill: none;
  stroke: var(--depth);
  stroke-width: 1.7;
}
td.likely path {
  stroke-width: 1;
}
td.undecided path {
  stroke: var(--soft);
  stroke-width: 1;
}
path.opposed {
  stroke: var(--caution);
}
.tick {
  position: absolute;
  top: 10px;
  height: 48px;
  width: 1px;
  background: var(--ink);
}
.way {
  position: absolute;
  right: 5px;
  top: 1px;
  font-size: 11px;
  color: var(--depth);
}
.way.opposed {
  color: var(--caution);
}
.value {
  position: absolute;
  left: 5px;
  right: 2px;
  bottom: 1px;
  font: 11px/1.3 var(--mono);
  text-align: left;
  white-space: nowrap;
  overflow: hidden;
}
.value .soft {
  margin-left: 5px;
}
</style>
