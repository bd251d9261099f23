<script setup lang="ts">
import { computed } from 'vue'
import type { Mend, Track } from '../../api/client'
import { useSession } from '../../session/store'
import { clock, fixed, span } from '../../shared/units'

/** Stretches of these tracks that carry something besides, each to be gone to, or taken out again. */
const props = defineProps<{ tracks: readonly Track[]; names: readonly string[] }>()
const store = useSession()

interface Shown {
  track: Track
  name: string
  mend: Mend
  from: number
}
const shown = computed<Shown[]>(() =>
  props.tracks.flatMap((track, i) =>
    track.mends.map((mend) => ({ track, name: props.names[i] ?? track.name, mend, from: track.start_frame + Math.floor(track.correction.offset_frames) + mend.from })),
  ),
)

function said({ besides }: Mend): string {
  const parts = [besides.invert ? 'inverted' : '', besides.offset_frames !== 0 ? span(besides.offset_frames, 'samples', store.measure) : '', besides.gain_db !== 0 ? `${fixed(besides.gain_db, 2)} dB` : '']
  return parts.filter((p) => p !== '').join(', ')
}

async function takeOut({ track, mend }: Shown): Promise<void> {
  await store.decide(`Took the repair of a stretch out of ${track.name}`, [{ track_id: track.id, after: { mends: track.mends.filter((m) => m !== mend) } }])
}
</script>

<template>
  <section v-if="shown.length > 0" data-test="mends">
    <h2>Repaired stretches</h2>
    <div v-for="s in shown" :key="s.track.id + s.mend.from" class="mend" :data-mend="s.name" :data-from="s.mend.from" :data-to="s.mend.to">
      <button class="plain mono" title="go there" @click="store.transport?.seek(s.from)">{{ clock(s.from, store.rateHz) }}</button>
      <span>to {{ clock(s.from + s.mend.to - s.mend.from, store.rateHz) }}, {{ s.name }}: {{ said(s.mend) }}</span>
      <button class="plain" :title="`take it out of ${s.name}`" data-test="take-out" @click="takeOut(s)">×</button>
    </div>
  </section>
</template>

<style scoped>
h2 {
  margin-top: 10px;
}
.mend {
  display: flex;
  align-items: baseline;
  gap: 6px;
  margin-bottom: 4px;
  font-size: 12px;
}
.mend span {
  flex: 1;
}
</style>
