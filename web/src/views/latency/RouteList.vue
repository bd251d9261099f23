<script setup lang="ts">
import { computed } from 'vue'
import { span, type Measure, type Unit } from '../../shared/units'
import type { PathsView } from './usePaths'

/** What every path comes to, the slowest first, and every track. */
const props = defineProps<{ view: PathsView; unit: Unit; measure: Measure }>()
const emit = defineEmits<{ pick: [node: string] }>()

/** Routes that the server lists. */
const LISTED = 100
const told = (frames: number) => span(frames, props.unit, props.measure)
/** Every track by its slowest path: what pulling it earlier takes out. */
const tracks = computed(() => {
  const pull = props.view.ways.find((w) => w.way === 'pull')
  const all = (pull?.tracks ?? []).map((t) => ({ name: props.view.nodes[t.node]!.id, frames: -t.frames }))
  return all.sort((a, b) => b.frames - a.frames)
})
const begins = (route: PathsView['routes'][number]) => props.view.nodes[props.view.edges[route.edges[0]!]!.from]!.id
</script>

<template>
  <details class="routes" data-test="routes">
    <summary>
      What every path comes to<template v-if="view.routes.length >= LISTED">: the slowest {{ LISTED }}</template>
    </summary>
    <div class="scroll">
      <table class="sheet">
        <thead>
          <tr>
            <th>Path</th>
            <th>Late by</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in view.routes" :key="r.edges.join()" :data-route="r.name">
            <td>
              <button class="plain" @click="emit('pick', begins(r))">{{ r.name }}</button>
            </td>
            <td class="mono">{{ told(r.frames) }}</td>
          </tr>
        </tbody>
        <thead v-if="tracks.length > 0">
          <tr>
            <th>Track, by its slowest path</th>
            <th>Late by</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="t in tracks" :key="t.name" :data-total="t.name">
            <td>
              <button class="plain" @click="emit('pick', t.name)">{{ t.name }}</button>
            </td>
            <td class="mono">{{ told(t.frames) }}</td>
          </tr>
        </tbody>
      </table>
    </div>
  </details>
</template>

<style scoped>
.routes[open] {
  flex: 0 1 auto;
  min-height: 120px;
  max-height: 45%;
  display: flex;
  flex-direction: column;
}
summary {
  cursor: pointer;
  font-size: 13px;
}
.scroll {
  overflow: auto;
  min-height: 0;
}
table {
  width: 100%;
  font-size: 12.5px;
}
td:last-child {
  text-align: right;
  white-space: nowrap;
}
td .plain {
  text-align: left;
  white-space: normal;
}
</style>
