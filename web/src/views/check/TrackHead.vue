<script setup lang="ts">
import type { Schemas, Track, TrackPatch } from '../../api/client'
import { useSession } from '../../session/store'
import { samples } from '../../shared/units'

defineProps<{ track: Track; advice: Schemas['Advice'] }>()
const store = useSession()

const ROLES = ['near', 'main', 'room', 'direct', 'print', 'rendered', 'unknown']
const SIDES = [
  { value: 'left', label: 'left' },
  { value: 'right', label: 'right' },
  { value: 'centre', label: 'centre' },
  { value: '', label: 'not said' },
]
const POLICIES = [
  { value: '', label: 'as the role has it' },
  { value: 'align', label: 'align' },
  { value: 'keep-distance', label: 'keep distance' },
  { value: 'bring-in', label: 'bring in' },
  { value: 'leave', label: 'leave' },
]

/** The policy of a set is set for the whole set. */
function mates(t: Track): Track[] {
  return store.tracks.filter((o) => o.id === t.id || (t.link_id && o.link_id === t.link_id))
}

function change(t: Track, what: string, after: TrackPatch): void {
  const all = after.policy === undefined ? [t] : mates(t)
  void store.decide(
    `${t.name}: ${what}`,
    all.map((o) => ({ track_id: o.id, after })),
  )
}
</script>

<template>
  <el-popover trigger="click" :width="310" placement="bottom-start">
    <template #reference>
      <button class="plain head" :data-test="`head-${track.name}`" :title="`${track.name}: role, source, side, policy`">
        <b>{{ track.name }}</b>
        <span class="soft">{{ track.role }}<template v-if="track.id === store.anchorId"> · anchor</template></span>
      </button>
    </template>
    <div class="form">
      <label
        >Role
        <select
          :value="track.role"
          data-test="role"
          @change="
            change(track, `role ${($event.target as HTMLSelectElement).value}`, { role: ($event.target as HTMLSelectElement).value })
          "
        >
          <option v-for="r in ROLES" :key="r" :value="r">{{ r }}</option>
        </select>
      </label>
      <label
        >Source
        <input
          :value="track.source"
          maxlength="120"
          @change="
            change(track, `source ${($event.target as HTMLInputElement).value}`, { source: ($event.target as HTMLInputElement).value })
          "
        />
      </label>
      <label
        >Side
        <select
          :value="track.side"
          @change="
            change(track, `side ${($event.target as HTMLSelectElement).value || 'not said'}`, {
              side: ($event.target as HTMLSelectElement).value,
            })
          "
        >
          <option v-for="s in SIDES" :key="s.value" :value="s.value">{{ s.label }}</option>
        </select>
      </label>
      <label
        >Policy
        <select
          :value="track.policy"
          data-test="policy"
          @change="
            change(track, `policy ${($event.target as HTMLSelectElement).value || 'of its role'}`, {
              policy: ($event.target as HTMLSelectElement).value,
            })
          "
        >
          <option v-for="p in POLICIES" :key="p.value" :value="p.value">{{ p.label }}</option>
        </select>
      </label>
      <p class="soft">
        Advice: {{ samples(advice.offset_frames) }} samples{{ advice.invert ? ', inverted' : '' }} – {{ advice.policy.replace('-', ' ') }},
        {{ advice.reason }}.
      </p>
      <button v-if="track.id !== store.anchorId" class="plain" @click="store.change({ anchor_id: track.id })">Make it the anchor</button>
    </div>
  </el-popover>
</template>

<style scoped>
.head {
  text-align: left;
  padding: 0;
  width: 100%;
  font-size: 12px;
  line-height: 1.25;
}
.head b,
.head span {
  display: block;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.form {
  display: grid;
  gap: 7px;
}
.form label {
  display: grid;
  grid-template-columns: 60px 1fr;
  align-items: center;
}
.form select,
.form input {
  font: inherit;
  color: var(--ink);
  background: var(--paper);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 3px 5px;
}
.form p {
  margin: 2px 0;
  text-align: left;
}
</style>
