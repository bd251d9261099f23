<script setup lang="ts">
import { computed, nextTick, ref, useTemplateRef } from 'vue'
import { useSession } from '../../session/store'
import { useKeys } from '../../shared/keys'
import { tell, tellTrouble } from '../../shared/notice'
import { span } from '../../shared/units'
import MeetingList from './MeetingList.vue'
import PathMapDrawing from './PathMap.vue'
import PathTable from './PathTable.vue'
import ProbeDialog from './ProbeDialog.vue'
import RouteList from './RouteList.vue'
import WayCards from './WayCards.vue'
import { addNode, addStages, changeStage, freshName, ofTracks, removeNode, removeStage, toggleFeed, withTracks } from './map'
import type { PathMap, PathNodeKind, PathStage, Spot } from './map'
import { usePaths } from './usePaths'

const store = useSession()
/** Drawn is what the server has added up; edits act on what is on its way there. */
const { under, shown, map: drawn, edited: map, view, trouble, draw, choose, read } = usePaths()
const picked = ref<Spot | null>(null)
const busy = ref(false)
const table = useTemplateRef<InstanceType<typeof PathTable>>('table')
const file = useTemplateRef<HTMLInputElement>('file')
/** The stage whose true latency is being measured. */
const probing = ref<Spot | null>(null)
const probed = computed(() => {
  const at = probing.value?.stage ?? null
  const stage = at === null ? undefined : map.value?.nodes.find((n) => n.id === probing.value!.node)?.stages?.[at]
  return at === null || !stage ? null : { node: probing.value!.node, at, stage, name: stage.name || `stage ${at + 1}` }
})
/** Stages that were copied. */
const copied = ref<PathStage[]>([])

const begun = computed(() => (map.value?.nodes.length ?? 0) > 0)
const names = computed(() => {
  // Linked channels are played through one path: the first stands for all.
  const firsts = store.inOrder.filter((t, i, all) => t.link_id === null || all.findIndex((o) => o.link_id === t.link_id) === i)
  return firsts.map((t) => t.name)
})
const absent = computed(() => names.value.filter((name) => !map.value?.nodes.some((n) => n.id === name)))
const told = (frames: number) => span(frames, store.unit, { ...store.measure, rateHz: map.value?.sample_rate_hz ?? store.rateHz })
const here = computed(() => map.value?.nodes.find((n) => n.id === picked.value?.node) ?? null)

async function carry(next: PathMap, label: string, to?: Spot | null): Promise<void> {
  busy.value = true
  const done = await draw(next, label)
  busy.value = false
  if (done && to !== undefined) {
    picked.value = to
    await nextTick()
    table.value?.write()
  }
}

function begin(): Promise<void> {
  return carry(ofTracks(names.value, store.rateHz), 'Paths: begun with the session’s tracks')
}

function bringTracks(): Promise<void> {
  return carry(withTracks(map.value!, absent.value), `Paths: ${absent.value.length} tracks of the session added`)
}

function newNode(kind: PathNodeKind): void {
  const base = map.value ?? ofTracks([], store.rateHz)
  const id = freshName(base, { track: 'Track', group: 'Group', return: 'Return', output: 'Output' }[kind])
  void carry(addNode(base, kind, id), `Paths: ${kind} ${id} added`, { node: id, stage: null })
}

function newStage(): void {
  if (!here.value) return tellTrouble('Pick a node first: the stage is added there.')
  const at = picked.value?.stage ?? null
  const stage: PathStage = { name: '', latency_ms: 0, on: true, late_when_off: false }
  const place = at === null ? (here.value.stages ?? []).length : at + 1
  void carry(addStages(map.value!, here.value.id, at, [stage]), `Paths: a stage added to ${here.value.id}`, {
    node: here.value.id,
    stage: place,
  })
}

function remove(): void {
  if (!here.value || !picked.value) return
  const { id, stages } = here.value
  const k = picked.value.stage
  picked.value = null
  if (k === null) void carry(removeNode(map.value!, id), `Paths: ${id} removed`)
  else void carry(removeStage(map.value!, id, k), `Paths: ${stages?.[k]?.name || `stage ${k + 1}`} of ${id} removed`)
}

function switchStage(): void {
  const k = picked.value?.stage ?? null
  const stage = k === null ? undefined : here.value?.stages?.[k]
  if (k === null || !stage || !here.value) return
  const on = stage.on === false
  void carry(
    changeStage(map.value!, here.value.id, k, { on }),
    `Paths: ${stage.name || `stage ${k + 1}`} of ${here.value.id} switched ${on ? 'on' : 'off'}`,
  )
}

function copy(): void {
  if (!here.value) return
  const own = here.value.stages ?? []
  copied.value = (picked.value?.stage ?? null) === null ? own : own.slice(picked.value!.stage!, picked.value!.stage! + 1)
  tell(
    copied.value.length === 0
      ? 'There is no stage to copy.'
      : `${copied.value.length === 1 ? 'One stage' : `${copied.value.length} stages`} copied.`,
  )
}

function paste(): void {
  if (!here.value || copied.value.length === 0) return tellTrouble('Copy a stage, then pick where it goes.')
  const count = copied.value.length
  void carry(
    addStages(map.value!, here.value.id, picked.value?.stage ?? null, copied.value),
    `Paths: ${count === 1 ? 'a stage' : `${count} stages`} put into ${here.value.id}`,
  )
}

function connect(from: string, to: string): void {
  void carry(toggleFeed(map.value!, from, to, 'after'), `Paths: connection of ${from} and ${to}`)
}

async function bring(e: Event): Promise<void> {
  const input = e.target as HTMLInputElement
  const chosen = input.files?.[0]
  input.value = ''
  if (!chosen) return
  try {
    const next = await read(chosen)
    if (!Array.isArray(next.nodes)) throw new Error('it is no map of paths')
    picked.value = null
    await carry(next, `Paths: taken over from ${chosen.name}`)
  } catch (cause) {
    tellTrouble(`${chosen.name}: ${(cause as Error).message}`)
  }
}

function probe(): void {
  if ((picked.value?.stage ?? null) === null) return tellTrouble('Pick a stage first: its latency is measured.')
  probing.value = picked.value
}

function keepMeasured(change: Partial<PathStage>, label: string): void {
  const now = probed.value
  probing.value = null
  if (now) void carry(changeStage(map.value!, now.node, now.at, change), label)
}

async function take(way: Parameters<typeof choose>[0]): Promise<void> {
  busy.value = true
  await choose(way)
  busy.value = false
}

const offenderShown = () => {
  const o = view.value?.offender
  if (o) picked.value = { node: view.value!.nodes[o.node]!.id, stage: o.stage }
}

useKeys('Latency', [
  { key: 'g', label: 'New group', run: () => newNode('group') },
  { key: 'n', label: 'New stage in the node that is picked', run: newStage },
  { key: 'x', label: 'Stage on or off', run: switchStage },
  { key: 'p', label: 'Measure the stage that is picked', run: probe },
  { key: 't', label: 'Go to the stage that costs most', run: offenderShown },
  { key: 'F2', label: 'Write the name of what is picked', run: () => table.value?.write() },
  { key: 'Delete', label: 'Remove what is picked', run: remove },
  { key: 'Ctrl+c', label: 'Copy the stage, or all of a node', run: copy },
  { key: 'Ctrl+v', label: 'Paste stages behind what is picked', run: paste },
])
</script>

<template>
  <div class="view latency">
    <div class="top">
      <h1>Latency</h1>
      <template v-if="view && begun">
        <span class="soft" data-test="slowest"
          ><template v-if="view.routes[0]"
            >slowest <b>{{ view.routes[0].name }}</b> {{ told(view.routes[0].frames) }}</template
          >
          <template v-if="view.offender">
            · costs most
            <button class="offender" data-test="offender" @click="offenderShown">
              {{ view.offender.name }}, {{ told(view.offender.frames) }}
            </button></template
          ></span
        >
      </template>
      <span class="fill" />
      <template v-if="begun">
        <span class="adds" role="group" aria-label="Add">
          <span class="soft">+</span>
          <button class="plain" title="New group (G)" @click="newNode('group')">Group</button>
          <button class="plain" title="New return" @click="newNode('return')">Return</button>
          <button class="plain" title="New output" @click="newNode('output')">Output</button>
          <button class="plain" :disabled="!here" title="New stage in the node that is picked (N)" data-test="new-stage" @click="newStage">
            Stage
          </button>
          <button
            v-if="absent.length > 0"
            class="plain"
            :title="`Tracks of the session that the map has not: ${absent.join(', ')}`"
            data-test="bring-tracks"
            @click="bringTracks"
          >
            {{ absent.length }} tracks
          </button>
        </span>
        <button class="plain" :disabled="!here" title="Remove what is picked (Delete)" @click="remove">Remove</button>
        <a class="plain" :href="`/api/sessions/${store.id}/paths/file?kind=json`" download title="The map as JSON">JSON</a>
        <a class="plain" :href="`/api/sessions/${store.id}/paths/file?kind=csv`" download title="The map as a sheet">CSV</a>
      </template>
      <button class="plain" data-test="import" @click="file?.click()">Import</button>
      <input ref="file" type="file" accept=".json,.csv" hidden data-test="import-file" @change="bring" />
    </div>
    <p v-if="trouble" class="caution" role="alert">{{ trouble }}</p>
    <template v-else-if="shown && !begun">
      <div class="empty">
        <p>
          Draw the paths that these tracks are played through: groups, sends and returns, with their stages and what each is late by. Marea
          adds them up, names the stage that costs most, and shows where copies of one track meet unequally.
        </p>
        <el-button type="primary" :disabled="store.tracks.length === 0" data-test="begin" @click="begin"
          >Begin with the session’s tracks</el-button
        >
        <span class="soft">or import a map: JSON (docs/paths.schema.json) or a sheet (CSV).</span>
      </div>
    </template>
    <template v-else-if="shown && view && drawn && map">
      <div class="left">
        <p v-if="shown.stale" class="stale" role="status">The tracks carry what an earlier map said. Choose a way again, or take it out.</p>
        <PathMapDrawing v-model:picked="picked" :view="view" :map="drawn" :unit="store.unit" @connect="connect" />
        <WayCards
          v-model:under="under"
          :shown="shown"
          :view="view"
          :map="drawn"
          :unit="store.unit"
          :measure="store.measure"
          :busy="busy"
          @choose="take"
        />
      </div>
      <aside>
        <MeetingList :view="view" :picked="picked?.node ?? null" @pick="(node) => (picked = { node, stage: null })" />
        <RouteList
          :view="view"
          :unit="store.unit"
          :measure="{ ...store.measure, rateHz: map.sample_rate_hz }"
          @pick="(node) => (picked = { node, stage: null })"
        />
        <details v-if="view.notes.length > 0" class="notes">
          <summary>{{ view.notes.length === 1 ? 'One note' : `${view.notes.length} notes` }}</summary>
          <p v-for="n in view.notes" :key="n">{{ n }}</p>
        </details>
        <PathTable
          ref="table"
          v-model:picked="picked"
          :map="map"
          :unit="store.unit"
          @draw="(next, label) => carry(next, label)"
          @probe="(spot) => (probing = spot)"
        />
        <ProbeDialog :stage="probed" :rate-hz="map.sample_rate_hz" @measured="keepMeasured" @close="probing = null" />
      </aside>
    </template>
  </div>
</template>

<style scoped>
.latency {
  display: grid;
  grid-template: auto minmax(0, 1fr) / minmax(0, 1fr) minmax(330px, 410px);
  gap: 8px 12px;
}
.top {
  grid-column: 1 / -1;
  display: flex;
  align-items: center;
  gap: 8px;
  flex-wrap: nowrap;
  white-space: nowrap;
  min-width: 0;
}
.top .plain {
  padding-inline: 3px;
}
.adds {
  display: flex;
  gap: 6px;
  align-items: baseline;
}
.top > .soft {
  min-width: 0;
  overflow: hidden;
  text-overflow: ellipsis;
}
.fill {
  flex: 1;
}
.offender {
  font: inherit;
  font-weight: 600;
  color: var(--depth);
  background: none;
  border: 0;
  padding: 0;
  text-decoration: underline;
  cursor: pointer;
}
.left,
aside {
  display: flex;
  flex-direction: column;
  gap: 8px;
  min-height: 0;
  min-width: 0;
}
.left > :deep(.currents) {
  flex: 1;
}
aside > :deep(.meetings) {
  flex: 0 1 auto;
  max-height: 45%;
  overflow: auto;
}
aside > :deep(.table) {
  flex: 1 1 200px;
}
.stale {
  margin: 0;
  padding: 4px 10px;
  background: var(--caution-fill);
  color: var(--caution);
}
.empty {
  grid-column: 1 / -1;
  max-width: 620px;
}
.notes p {
  margin: 2px 0;
  font-size: 13px;
}
a.plain {
  text-decoration: none;
}
@media (max-width: 900px), (max-height: 560px) {
  .latency {
    grid-template-columns: minmax(0, 1fr);
    grid-template-rows: none;
  }
}
</style>
