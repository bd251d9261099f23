<script setup lang="ts">
import { ref } from 'vue'
import { panBy, showAll, stretch, zoomAt } from './viewport'
import { useSession } from '../session/store'
import { useKeys } from '../shared/keys'
import LanesPanel from './LanesPanel.vue'
import type { LaneStroke } from './strokes'

/** All lanes above a view that needs the room for something else: folded away until they are wanted. */
withDefaults(defineProps<{ strokes?: readonly LaneStroke[] }>(), { strokes: () => [] })
const store = useSession()
const open = ref(false)

const zoom = (factor: number) => zoomAt(store.viewport, store.viewport.width / 2, factor)
const when = (run: () => void) => () => open.value && run()
useKeys('Lanes', [
  { key: 'w', label: 'Show or fold the lanes', run: () => (open.value = !open.value) },
  { key: 'ArrowLeft', label: 'Pan left', run: when(() => panBy(store.viewport, -80)) },
  { key: 'ArrowRight', label: 'Pan right', run: when(() => panBy(store.viewport, 80)) },
  { key: 'ArrowUp', label: 'Zoom in', run: when(() => zoom(0.6)) },
  { key: 'ArrowDown', label: 'Zoom out', run: when(() => zoom(1 / 0.6)) },
  { key: '+', label: 'Taller waveforms', run: when(() => stretch(store.viewport, 1.5)) },
  { key: '-', label: 'Lower waveforms', run: when(() => stretch(store.viewport, 1 / 1.5)) },
  { key: 'Home', label: 'Whole session', run: when(() => showAll(store.viewport)) },
])
</script>

<template>
  <div class="fold" :class="{ open }">
    <button class="plain toggle" :aria-expanded="open" title="Lanes of all tracks (W)" data-test="lanes-fold" @click="open = !open">
      {{ open ? '▾' : '▸' }} Lanes
    </button>
    <LanesPanel v-if="open" :all="true" :usual="34" :strokes="strokes" @select="store.choose(undefined, $event)" />
  </div>
</template>

<style scoped>
.fold {
  display: flex;
  flex-direction: column;
  flex: none;
}
.fold.open {
  height: 34%;
  min-height: 150px;
}
.toggle {
  align-self: flex-start;
  font-size: 12px;
}
</style>
