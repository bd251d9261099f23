<script setup lang="ts">
import { computed, ref } from 'vue'
import { useSession } from '../../session/store'
import { distance, fixed, parseLength } from '../../shared/units'
import { tellTrouble } from '../../shared/notice'
import { vTyped } from '../../shared/typed'
import StageChart from './StageChart.vue'
import { sounding, type Point } from './stage'
import type { CheckView } from './useCheck'

const props = defineProps<{ check: CheckView }>()
/** The cell whose way is drawn: row and track. */
const cell = defineModel<[number, number] | null>('cell', { required: true })
const store = useSession()
const picked = ref('')
const pointed = ref('')

const tracks = computed(() => props.check.tracks.map((id) => store.track(id)))
const name = (m: number) => tracks.value[m]?.name ?? ''
const room = (m: number) => tracks.value[m]?.in_room
const ownRow = (m: number) => props.check.table.rows.findIndex((r) => r.members.includes(m))
const isTyped = (m: number) => {
  const r = room(m)
  const apart = tracks.value.some((t) => t && Object.keys(t.in_room.apart_m).includes(props.check.tracks[m]!))
  return !!r && (typeof r.from_source_m === 'number' || !!r.at_m || Object.keys(r.apart_m).length > 0 || apart)
}
const points = computed<Point[]>(() => {
  const stage = props.check.stage
  if (!stage) return []
  const sources = stage.sources.flatMap((at, index) =>
    at ? [{ key: `s${index}`, what: 'source' as const, name: props.check.sources[index]?.name ?? '', index, at, typed: false }] : [],
  )
  const mics = stage.tracks.flatMap((at, index) => {
    const what = ownRow(index) >= 0 ? ('near' as const) : ('far' as const)
    return at ? [{ key: `m${index}`, what, name: name(index), index, at, typed: isTyped(index) }] : []
  })
  return [...sources, ...mics]
})
const mics = computed(() => points.value.filter((p) => p.what !== 'source'))

const lead = computed(() => {
  if (!cell.value || !props.check.stage) return null
  const [r, m] = cell.value
  const [from, to] = [props.check.stage.sources[r], props.check.stage.tracks[m]]
  if (!from || !to) return null
  const { metres } = sounding(from, to)
  const ms = (metres / store.measure.speedMS) * 1000
  return { from: `s${r}`, to: `m${m}`, text: `${distance(metres)} · ${fixed(ms, 2)} ms` }
})
const leadText = computed(() => {
  if (!cell.value) return ''
  const [r, m] = cell.value
  const [row, stage] = [props.check.table.rows[r], props.check.stage]
  const [source, at, home] = [stage?.sources[r], stage?.tracks[m], row && stage?.tracks[row.home]]
  const lag = row?.cells[m]?.lag_frames
  if (!row || !source || !at || !home || typeof lag !== 'number' || m === row.home) return ''
  const more = sounding(source, at).metres - sounding(source, home).metres
  const found = (lag / store.rateHz) * store.measure.speedMS
  return `${name(m)} is ${distance(more)} further from ${props.check.sources[r]?.name} than the microphone ${name(row.home)}, by its place; the arrival says ${distance(found)}.`
})

/** What distances are told from: what is pointed at, else what was picked. */
const from = computed(() => points.value.find((p) => p.key === pointed.value) ?? points.value.find((p) => p.key === picked.value) ?? null)

const ownDistance = (p: Point) => {
  const source = props.check.stage?.sources[ownRow(p.index)]
  return source ? sounding(source, p.at) : null
}

/** Writes what was typed of a track: a decision like all others, taken back by undo. */
async function write(m: number, part: Partial<NonNullable<ReturnType<typeof room>>>, label: string): Promise<void> {
  const now = room(m)
  if (!now) return
  await store.decide(label, [{ track_id: props.check.tracks[m]!, after: { in_room: { ...now, ...part } } }])
}

function readLength(text: string): number | null {
  const metres = parseLength(text)
  if (metres === null) tellTrouble(`“${text}” is no length. A number with m, cm or mm; without a unit, metres.`)
  return metres
}

function typeDistance(m: number, field: HTMLInputElement): void {
  const [text, now] = [field.value.trim(), room(m)?.from_source_m ?? null]
  if (text === '') {
    if (now !== null) void write(m, { from_source_m: null }, `${name(m)}: distance from its source not known`)
    return
  }
  const metres = readLength(text)
  if (metres === null || metres === now) field.value = now === null ? '' : distance(now)
  else void write(m, { from_source_m: metres }, `${name(m)}: ${distance(metres)} from its source, measured`)
}

function typePlace(m: number, row: HTMLElement): void {
  const texts = [...row.querySelectorAll<HTMLInputElement>('input[data-axis]')].map((f) => f.value.trim())
  if (texts.every((t) => t === '')) {
    if (room(m)?.at_m) void write(m, { at_m: null }, `${name(m)}: place not known`)
    return
  }
  // Half a place is none yet.
  if (texts.some((t) => t === '')) return
  const at = texts.map(readLength)
  if (at.some((v) => v === null)) return
  void write(m, { at_m: at as number[] }, `${name(m)}: stands ${at.map((v) => `${fixed(v!, 2)} m`).join(', ')}, measured`)
}

const between = computed(() =>
  tracks.value.flatMap((t, m) =>
    Object.entries(t?.in_room.apart_m ?? {}).flatMap(([id, metres]) => {
      const to = props.check.tracks.indexOf(id)
      return to < 0 ? [] : [{ m, id, to, metres }]
    }),
  ),
)
const pair = ref<[string, string]>(['', ''])
const pairLength = ref('')
async function addBetween(): Promise<void> {
  const [a, b] = pair.value.map((id) => props.check.tracks.indexOf(id)) as [number, number]
  if (a < 0 || b < 0 || a === b) {
    tellTrouble('A distance is between two microphones.')
    return
  }
  const metres = readLength(pairLength.value)
  if (metres === null) return
  const apart_m = { ...room(a)?.apart_m, [props.check.tracks[b]!]: metres }
  await write(a, { apart_m }, `${name(a)} and ${name(b)}: ${distance(metres)} apart, measured`)
  pairLength.value = ''
}
function removeBetween(m: number, id: string, to: number): void {
  const { [id]: _, ...apart_m } = room(m)?.apart_m ?? {}
  void write(m, { apart_m }, `${name(m)} and ${name(to)}: distance not known`)
}
</script>

<template>
  <div v-if="!check.stage" class="none" data-test="no-stage">
    No places are known yet: at least two sources have to be heard in each other’s microphones.
  </div>
  <div v-else class="part">
    <div class="chart">
      <StageChart v-model:picked="picked" v-model:pointed="pointed" :points="points" :stage="check.stage" :lead="lead" />
      <p class="soft legend">
        ● source · ○ microphone at a source · □ far microphone · ellipse: two standard deviations · cross: measured by hand
      </p>
      <p class="row">
        <label
          >Way from
          <select
            :value="cell?.[0] ?? ''"
            data-test="lead-source"
            @change="cell = [Number(($event.target as HTMLSelectElement).value), cell?.[1] ?? mics[0]?.index ?? 0]"
          >
            <option value="" disabled>a source</option>
            <option v-for="(s, r) in check.sources" :key="r" :value="r">{{ s.name }}</option>
          </select></label
        >
        <label
          >to
          <select
            :value="cell?.[1] ?? ''"
            data-test="lead-track"
            @change="cell = [cell?.[0] ?? 0, Number(($event.target as HTMLSelectElement).value)]"
          >
            <option value="" disabled>a microphone</option>
            <option v-for="p in mics" :key="p.index" :value="p.index">{{ p.name }}</option>
          </select></label
        >
        <span v-if="leadText" data-test="lead-text">{{ leadText }}</span>
      </p>
    </div>
    <div class="facts">
      <table data-test="places">
        <caption class="soft">
          Grey: found from the arrivals. What you measured in the room makes places and latencies surer: a distance from the source, or
          places from any corner.
        </caption>
        <thead>
          <tr>
            <th>Microphone</th>
            <th>From its source</th>
            <th>Right, m</th>
            <th>Front, m</th>
            <th>±</th>
            <th class="from">{{ from ? `From ${from.name}` : 'From what you point at' }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="p in mics" :key="p.key" :data-place="p.name" :class="{ picked: p.key === picked }">
            <th scope="row">
              <button class="plain" @click="picked = picked === p.key ? '' : p.key">{{ p.name }}</button>
            </th>
            <td>
              <input
                v-if="ownRow(p.index) >= 0"
                v-typed="room(p.index)?.from_source_m == null ? '' : distance(room(p.index)!.from_source_m!)"
                :aria-label="`Measured distance of ${p.name} from its source`"
                :placeholder="ownDistance(p) ? distance(ownDistance(p)!.metres) : ''"
                data-test="from-source"
                @change="typeDistance(p.index, $event.target as HTMLInputElement)"
              />
            </td>
            <td v-for="(axis, i) in ['right', 'front']" :key="axis">
              <input
                v-typed="room(p.index)?.at_m == null ? '' : fixed(room(p.index)!.at_m![i]!, 2)"
                :aria-label="`Measured place of ${p.name}: metres to the ${axis}`"
                :placeholder="fixed(axis === 'right' ? p.at.right_m : p.at.front_m, 2)"
                :data-axis="axis"
                @change="typePlace(p.index, ($event.target as HTMLElement).closest('tr')!)"
              />
            </td>
            <td class="mono">{{ fixed(p.at.ellipse_m[0]!, 2) }}</td>
            <td class="mono" data-test="from-there">{{ from && from.key !== p.key ? distance(sounding(from.at, p.at).metres) : '' }}</td>
          </tr>
        </tbody>
      </table>
      <form class="row" data-test="between" @submit.prevent="addBetween">
        <span>Between</span>
        <select v-model="pair[0]" aria-label="First microphone">
          <option value="" disabled>one</option>
          <option v-for="p in mics" :key="p.key" :value="check.tracks[p.index]">{{ p.name }}</option>
        </select>
        <select v-model="pair[1]" aria-label="Second microphone">
          <option value="" disabled>another</option>
          <option v-for="p in mics" :key="p.key" :value="check.tracks[p.index]">{{ p.name }}</option>
        </select>
        <input v-model="pairLength" aria-label="Measured distance between them" placeholder="2.10 m" />
        <button class="plain" type="submit">Add</button>
      </form>
      <ul>
        <li v-for="b in between" :key="`${b.m} ${b.id}`">
          {{ name(b.m) }} and {{ name(b.to) }}: <b class="mono">{{ distance(b.metres) }}</b>
          <button
            class="plain"
            :aria-label="`Remove the distance between ${name(b.m)} and ${name(b.to)}`"
            @click="removeBetween(b.m, b.id, b.to)"
          >
            remove
          </button>
        </li>
      </ul>
    </div>
  </div>
</template>

<style scoped>
.part {
  flex: 1 1 auto !important;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(300px, 1fr) minmax(0, 470px);
  gap: 10px;
}
.chart {
  display: flex;
  flex-direction: column;
  gap: 4px;
  min-height: 0;
  min-width: 0;
}
.chart > .stage {
  flex: 1;
}
.legend,
.row {
  margin: 0;
  font-size: 12px;
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  align-items: center;
}
.facts {
  overflow: auto;
  min-height: 0;
  font-size: 12px;
}
caption {
  text-align: left;
  padding-bottom: 4px;
}
table {
  border-collapse: collapse;
  width: 100%;
}
th,
td {
  text-align: left;
  font-weight: 400;
  padding: 1px 3px;
  border-bottom: 1px solid var(--line);
  white-space: nowrap;
}
thead th {
  color: var(--soft);
}
tbody th {
  max-width: 112px;
  overflow: hidden;
  text-overflow: ellipsis;
}
tr.picked {
  background: color-mix(in srgb, var(--shoal) 45%, transparent);
}
td.mono {
  text-align: right;
}
input,
select {
  font: inherit;
  color: var(--ink);
  background: var(--paper);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 1px 4px;
  max-width: 130px;
}
td input::placeholder {
  color: var(--soft);
  opacity: 1;
}
td input {
  width: 52px;
  font: 12px var(--mono);
  text-align: right;
}
th.from {
  max-width: 92px;
  text-align: right;
  overflow: hidden;
  text-overflow: ellipsis;
}
.facts .row {
  margin-top: 8px;
}
.facts .row input {
  width: 70px;
}
ul {
  margin: 6px 0;
  padding-left: 16px;
}
@media (min-width: 1500px) {
  .part {
    grid-template-columns: minmax(300px, 1fr) 520px;
  }
  tbody th {
    max-width: 190px;
  }
  th.from {
    max-width: 150px;
  }
}
@media (max-width: 1100px) {
  .part {
    grid-template-columns: minmax(0, 1fr);
  }
  .chart > .stage {
    min-height: 360px;
  }
}
</style>
