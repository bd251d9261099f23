<script setup lang="ts">
import { useSession } from '../session/store'
import { COLUMN_NAMES, COLUMNS } from './columns'
import MarksList from './MarksList.vue'
import type { Ruler } from './ruler'
import { fitted, setFitted } from './scale'
import type { Track } from '../api/client'

type Way = 'off' | 'both' | 'sum' | 'difference'
defineProps<{ hidden: readonly Track[]; picked: number; overlay: Way }>()
const emit = defineEmits<{ group: []; groupFiles: []; overlay: [way: Way]; taller: [factor: number] }>()

const store = useSession()
const desk = store.desk
const RULERS: Ruler[] = ['clock', 'bars', 'samples']
const WAYS: { way: Way; label: string; title: string }[] = [
  { way: 'off', label: 'off', title: 'No overlay' },
  { way: 'both', label: 'both', title: 'The pair in one lane' },
  { way: 'sum', label: 'sum', title: 'The pair in one lane, and their sum' },
  { way: 'difference', label: 'difference', title: 'The pair in one lane, and what is left when the second is taken from the first' },
]

function toggleColumn(column: string): void {
  const now = desk.state.columns
  desk.change({ columns: now.includes(column) ? now.filter((c) => c !== column) : [...now, column] })
}

function show(track: Track): void {
  const group = desk.group(track.id)
  if (group?.hidden) desk.setGroup(group.id, { hidden: false })
  if (desk.lane(track.id).hidden) desk.setLane(track.id, { hidden: false }, `${track.name} shown`)
}
</script>

<template>
  <div class="tools" role="toolbar" aria-label="Lanes">
    <el-popover trigger="click" :width="170" placement="bottom-start">
      <template #reference><button class="plain" data-test="columns">Columns</button></template>
      <label v-for="c in COLUMN_NAMES" :key="c" class="line"
        ><input type="checkbox" :checked="desk.state.columns.includes(c)" :data-column="c" @change="toggleColumn(c)" />
        {{ COLUMNS[c].label }}</label
      >
    </el-popover>
    <button class="plain" data-test="make-group" title="Group the picked lanes (Ctrl and a click on a name picks)" @click="emit('group')">
      Group{{ picked > 0 ? ` ${picked} picked` : '' }}
    </button>
    <button
      class="plain"
      data-test="group-files"
      title="Every file of several channels, and every left with its right, as a group"
      @click="emit('groupFiles')"
    >
      Group pairs
    </button>
    <el-popover v-if="hidden.length > 0" trigger="click" :width="200" placement="bottom-start">
      <template #reference
        ><button class="plain" data-test="hidden">{{ hidden.length }} hidden</button></template
      >
      <button v-for="t in hidden" :key="t.id" class="plain line" :data-show="t.name" @click="show(t)">show {{ t.name }}</button>
    </el-popover>
    <el-popover trigger="click" :width="300" placement="bottom-start">
      <template #reference
        ><button class="plain" data-test="marks">
          Marks{{ desk.state.markers.length > 0 ? ` ${desk.state.markers.length}` : '' }}
        </button></template
      >
      <MarksList />
    </el-popover>
    <button class="plain" title="All lanes taller" data-test="taller" @click="emit('taller', 1.3)">taller</button>
    <button class="plain" title="All lanes lower" @click="emit('taller', 1 / 1.3)">lower</button>
    <span class="fill" />
    <span class="soft">Scale</span>
    <div class="choice small" role="group" aria-label="Scale of the waveforms">
      <button
        :aria-pressed="fitted"
        title="Every lane as tall as its own peak lets it be; ×8 says by how much"
        data-test="scale-fit"
        @click="setFitted(true)"
      >
        fit
      </button>
      <button :aria-pressed="!fitted" title="All lanes at the same scale" data-test="scale-same" @click="setFitted(false)">same</button>
    </div>
    <span class="soft">Overlay</span>
    <div class="choice small" role="group" aria-label="Overlay of the pair">
      <button
        v-for="w in WAYS"
        :key="w.way"
        :aria-pressed="overlay === w.way"
        :title="w.title"
        :data-overlay="w.way"
        @click="emit('overlay', w.way)"
      >
        {{ w.label }}
      </button>
    </div>
    <span class="soft">Ruler</span>
    <div class="choice small" role="group" aria-label="Ruler">
      <button
        v-for="r in RULERS"
        :key="r"
        :aria-pressed="(desk.state.ruler || 'clock') === r"
        :data-ruler="r"
        @click="desk.change({ ruler: r })"
      >
        {{ r }}
      </button>
    </div>
  </div>
</template>

<style scoped>
.tools {
  display: flex;
  align-items: center;
  gap: 6px;
  min-height: 26px;
  font-size: 12px;
  white-space: nowrap;
}
.fill {
  flex: 1;
}
.small button {
  padding: 1px 8px;
  font-size: 12px;
}
.line {
  display: block;
  text-align: left;
}
</style>
