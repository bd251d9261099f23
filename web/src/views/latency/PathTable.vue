<script setup lang="ts">
import { nextTick, useTemplateRef, watch } from 'vue'
import { tellTrouble } from '../../shared/notice'
import { vTyped } from '../../shared/typed'
import type { Unit } from '../../shared/units'
import {
  changeStage,
  latencyText,
  parseLatency,
  renameNode,
  statedMs,
  setKind,
  toggleFeed,
  type PathMap,
  type PathNode,
  type PathNodeKind,
  type PathStage,
  type Spot,
} from './map'

const props = defineProps<{ map: PathMap; unit: Unit }>()
const picked = defineModel<Spot | null>('picked', { required: true })
const emit = defineEmits<{ draw: [map: PathMap, label: string]; probe: [spot: Spot] }>()
const box = useTemplateRef<HTMLElement>('box')

const KINDS: PathNodeKind[] = ['track', 'group', 'return', 'output']
const feeds = (n: PathNode) => n.to ?? []
const able = (n: PathNode) => props.map.nodes.filter((o) => o.id !== n.id && o.kind !== 'track' && !feeds(n).some((s) => s.node === o.id))
const value = (e: Event) => (e.target as HTMLInputElement | HTMLSelectElement).value

function rename(n: PathNode, field: HTMLInputElement): void {
  const id = field.value.trim()
  if (id === n.id) return
  if (id === '' || props.map.nodes.some((o) => o.id === id)) {
    tellTrouble(id === '' ? 'A node has a name.' : `There is a node called “${id}” already.`)
    field.value = n.id
    return
  }
  if (picked.value?.node === n.id) picked.value = { ...picked.value, node: id }
  emit('draw', renameNode(props.map, n.id, id), `Paths: ${n.id} called ${id}`)
}

function latency(n: PathNode, k: number, field: HTMLInputElement): void {
  const stage = n.stages![k]!
  if (field.value.trim() === latencyText(stage)) return
  const read = parseLatency(field.value, props.unit)
  if (!read) {
    tellTrouble(
      `“${field.value}” is no latency. A number with ms or samples, and the rate where samples are counted at another: 441 samples at 44.1 kHz.`,
    )
    field.value = latencyText(stage)
    return
  }
  emit('draw', changeStage(props.map, n.id, k, read), `Paths: ${stage.name || `stage ${k + 1}`} of ${n.id} is ${field.value.trim()} late`)
}

function nameStage(n: PathNode, k: number, name: string): void {
  if (name.trim() !== n.stages![k]!.name)
    emit('draw', changeStage(props.map, n.id, k, { name: name.trim() }), `Paths: stage ${k + 1} of ${n.id} called ${name.trim()}`)
}

function feed(n: PathNode, to: string, tap: 'after' | 'before'): void {
  const was = feeds(n).some((s) => s.node === to && (s.tap ?? 'after') === tap)
  emit('draw', toggleFeed(props.map, n.id, to, tap), `Paths: ${n.id} ${was ? 'no longer feeds' : 'feeds'} ${to}`)
}

function retap(n: PathNode, to: string, was: 'after' | 'before'): void {
  const other = was === 'after' ? 'before' : 'after'
  emit(
    'draw',
    toggleFeed(toggleFeed(props.map, n.id, to, was), n.id, to, other),
    `Paths: ${to} is fed ${other === 'before' ? 'before' : 'behind'} the stages of ${n.id}`,
  )
}

/** Stated and measured differ by more than a probe may be off, in ms. */
const OFF_MS = 0.02
const differs = (s: PathStage) =>
  (s.measured_ms ?? null) !== null && Math.abs(s.measured_ms! - statedMs(s, props.map.sample_rate_hz)) > OFF_MS

const measuredText = (s: PathStage) => ((s.measured_ms ?? null) === null ? 'probe…' : `${Number(s.measured_ms!.toFixed(3))} ms`)

const spot = (node: string, stage: number | null) => (picked.value = { node, stage })

watch(picked, (now) => {
  if (!now) return
  void nextTick(() => {
    const row = box.value?.querySelector(`[data-row="${CSS.escape(`${now.node}/${now.stage ?? ''}`)}"]`)
    row?.scrollIntoView({ block: 'nearest' })
  })
})

/** Puts the cursor into the name of what is picked. */
function write(): void {
  const now = picked.value
  if (!now) return
  const row = box.value?.querySelector(`[data-row="${CSS.escape(`${now.node}/${now.stage ?? ''}`)}"]`)
  const field = row?.querySelector<HTMLInputElement>('input:not([type=checkbox])')
  field?.focus()
  field?.select()
}
defineExpose({ write })
</script>

<template>
  <div ref="box" class="table" data-test="path-table">
    <table>
      <thead>
        <tr>
          <th>Node, stages</th>
          <th>Kind, latency</th>
          <th title="As a probe measured it">Measured</th>
          <th title="On">On</th>
          <th title="Late even when it is off">Late when off</th>
        </tr>
      </thead>
      <tbody v-for="n in map.nodes" :key="n.id">
        <tr
          :class="['of-node', { picked: picked?.node === n.id && picked.stage === null }]"
          :data-row="`${n.id}/`"
          @focusin="spot(n.id, null)"
        >
          <td>
            <input
              v-typed="n.id"
              class="name"
              :aria-label="`Name of ${n.id}`"
              maxlength="200"
              @change="rename(n, $event.target as HTMLInputElement)"
            />
          </td>
          <td colspan="4">
            <select
              :value="n.kind"
              :aria-label="`Kind of ${n.id}`"
              @change="emit('draw', setKind(map, n.id, value($event) as PathNodeKind), `Paths: ${n.id} is a ${value($event)}`)"
            >
              <option v-for="k in KINDS" :key="k">{{ k }}</option>
            </select>
          </td>
        </tr>
        <tr
          v-for="(s, k) in n.stages ?? []"
          :key="k"
          :class="['of-stage', { picked: picked?.node === n.id && picked.stage === k, off: !s.on }]"
          :data-row="`${n.id}/${k}`"
          @focusin="spot(n.id, k)"
        >
          <td>
            <input
              v-typed="s.name"
              :aria-label="`Name of stage ${k + 1} of ${n.id}`"
              placeholder="stage"
              @change="nameStage(n, k, value($event))"
            />
          </td>
          <td>
            <input
              v-typed="latencyText(s)"
              class="mono"
              :aria-label="`Latency of ${s.name || `stage ${k + 1}`} of ${n.id}`"
              :data-test="`latency-${n.id}-${k}`"
              @change="latency(n, k, $event.target as HTMLInputElement)"
            />
          </td>
          <td>
            <button
              class="tap mono"
              :class="{ caution: differs(s) }"
              :title="differs(s) ? 'It is not as late as stated; measure again' : 'Measure how late it truly is (P)'"
              :aria-label="`${measuredText(s)}: measured latency of ${s.name || `stage ${k + 1}`} of ${n.id}`"
              :data-test="`measured-${n.id}-${k}`"
              @click="emit('probe', { node: n.id, stage: k })"
            >
              {{ measuredText(s) }}
            </button>
          </td>
          <td>
            <input
              type="checkbox"
              :checked="s.on !== false"
              :aria-label="`${s.name || `stage ${k + 1}`} of ${n.id} is on`"
              @change="
                emit(
                  'draw',
                  changeStage(map, n.id, k, { on: s.on === false }),
                  `Paths: ${s.name || `stage ${k + 1}`} of ${n.id} switched ${s.on === false ? 'on' : 'off'}`,
                )
              "
            />
          </td>
          <td>
            <input
              type="checkbox"
              :checked="s.late_when_off === true"
              :aria-label="`${s.name || `stage ${k + 1}`} of ${n.id} is late when off`"
              @change="
                emit(
                  'draw',
                  changeStage(map, n.id, k, { late_when_off: !s.late_when_off }),
                  `Paths: ${s.name || `stage ${k + 1}`} of ${n.id} is ${s.late_when_off ? 'not late' : 'late'} when off`,
                )
              "
            />
          </td>
        </tr>
        <tr v-if="n.kind !== 'output'" class="of-feeds" @focusin="spot(n.id, null)">
          <td colspan="5">
            <span class="soft">feeds</span>
            <span v-for="s in feeds(n)" :key="`${s.node}/${s.tap}`" class="feed">
              {{ s.node }}
              <button
                class="tap"
                :title="s.tap === 'before' ? 'Taken before the stages; click for behind' : 'Taken behind the stages; click for before'"
                @click="retap(n, s.node, s.tap ?? 'after')"
              >
                {{ s.tap === 'before' ? 'before' : 'behind' }}
              </button>
              <button class="away" :aria-label="`${n.id} no longer feeds ${s.node}`" @click="feed(n, s.node, s.tap ?? 'after')">×</button>
            </span>
            <select
              v-if="able(n).length > 0"
              class="more"
              :aria-label="`What ${n.id} feeds besides`"
              value=""
              @change="feed(n, value($event), 'after')"
            >
              <option value="">+</option>
              <option v-for="o in able(n)" :key="o.id" :value="o.id">{{ o.id }}</option>
            </select>
          </td>
        </tr>
      </tbody>
    </table>
  </div>
</template>

<style scoped>
.table {
  overflow: auto;
  min-height: 0;
  border: 1px solid var(--line);
  background: var(--panel);
}
table {
  width: 100%;
  border-collapse: collapse;
}
th {
  position: sticky;
  top: 0;
  background: var(--panel);
  font-size: 12px;
  white-space: nowrap;
  z-index: 1;
}
td {
  padding: 1px 5px;
  height: 26px;
}
.of-node td {
  border-top: 1px solid var(--line);
}
.of-stage td:first-child {
  padding-left: 18px;
}
.of-feeds td {
  padding-left: 18px;
  font-size: 12.5px;
}
tr.picked td {
  background: var(--shoal);
}
input:not([type='checkbox']),
select {
  font: inherit;
  font-size: 13px;
  color: var(--ink);
  background: transparent;
  border: 1px solid transparent;
  border-radius: 3px;
  width: 100%;
  padding: 1px 3px;
}
input:not([type='checkbox']):hover,
input:not([type='checkbox']):focus,
select:hover,
select:focus {
  border-color: var(--line);
  background: var(--paper);
}
select option {
  background: var(--panel);
}
.name {
  font-weight: 600;
}
.off input {
  color: var(--soft);
}
.feed {
  margin: 0 4px;
  white-space: nowrap;
}
.tap,
.away {
  font: inherit;
  font-size: 12px;
  color: var(--ink);
  background: none;
  border: 0;
  padding: 0 2px;
  cursor: pointer;
}
.tap {
  color: var(--soft);
  text-decoration: underline dotted;
}
td[colspan='4'] select {
  width: auto;
}
td .more {
  width: 3.2em;
}
</style>
