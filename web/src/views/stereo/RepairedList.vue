<script setup lang="ts">
import { computed } from 'vue'
import type { Track } from '../../api/client'
import { besides, heardStretches, type Heard } from '../../session/stretches'
import { useSession } from '../../session/store'
import { clock } from '../../shared/units'

/** Stretches of these tracks that carry something besides, each to be gone to, or taken out again. */
const props = defineProps<{ tracks: readonly Track[]; names: readonly string[] }>()
const store = useSession()

type Shown = Heard & { track: Track; name: string }
const shown = computed<Shown[]>(() =>
  props.tracks.flatMap((track, i) => heardStretches(track).map((heard) => ({ ...heard, track, name: props.names[i] ?? track.name }))),
)

async function takeOut({ track, stretch }: Shown): Promise<void> {
  await store.decide(`Took the repair of a stretch out of ${track.name}`, [
    { track_id: track.id, after: { stretches: track.stretches.filter((s) => s !== stretch) } },
  ])
}
</script>

<template>
  <section v-if="shown.length > 0" data-test="repaired">
    <h2>Repaired stretches</h2>
    <div
      v-for="s in shown"
      :key="s.track.id + s.stretch.from"
      class="stretch"
      :data-stretch="s.name"
      :data-from="s.stretch.from"
      :data-to="s.stretch.to"
    >
      <button class="plain mono" title="go there" @click="store.transport?.seek(s.from)">{{ clock(s.from, store.rateHz) }}</button>
      <span>to {{ clock(s.to, store.rateHz) }}, {{ s.name }}: {{ besides(s.stretch.besides, store.measure) }}</span>
      <button class="plain" :title="`take it out of ${s.name}`" data-test="take-out" @click="takeOut(s)">×</button>
    </div>
  </section>
</template>

<style scoped>
h2 {
  margin-top: 10px;
}
.stretch {
  display: flex;
  align-items: baseline;
  gap: 6px;
  margin-bottom: 4px;
  font-size: 12px;
}
.stretch span {
  flex: 1;
}
</style>
