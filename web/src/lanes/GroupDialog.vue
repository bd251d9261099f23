<script setup lang="ts">
import { ref, watch } from 'vue'
import type { Track } from '../api/client'
import type { Group } from '../session/deskRules'

/** A group that is made or changed; null: closed. */
const props = defineProps<{ group: (Partial<Group> & { name: string; tracks: string[] }) | null; tracks: readonly Track[] }>()
const emit = defineEmits<{ put: [group: Partial<Group> & { name: string; tracks: string[] }]; dissolve: [id: string]; close: [] }>()

const name = ref('')
const colour = ref(0)
const together = ref(true)
const members = ref<string[]>([])
watch(
  () => props.group,
  (g) => {
    if (!g) return
    name.value = g.name
    colour.value = g.colour ?? 0
    together.value = g.together ?? true
    members.value = [...g.tracks]
  },
  { immediate: true },
)

function put(): void {
  const clean = name.value.trim()
  if (clean === '' || members.value.length === 0) return
  emit('put', { ...props.group, name: clean, colour: colour.value, together: together.value, tracks: members.value })
}
</script>

<template>
  <el-dialog :model-value="group !== null" :title="group?.id ? 'Group' : 'New group'" width="420px" append-to-body @close="emit('close')">
    <label class="row">Name <input v-model="name" class="field" data-test="group-name" maxlength="200" @keydown.enter="put" /></label>
    <div class="row" role="radiogroup" aria-label="Colour">
      Colour
      <button
        v-for="c in 8"
        :key="c"
        class="swatch"
        role="radio"
        :aria-checked="colour === c - 1"
        :aria-label="`colour ${c}`"
        :style="{ background: `var(--group-${c - 1})` }"
        @click="colour = c - 1"
      >
        {{ colour === c - 1 ? '✓' : '' }}
      </button>
    </div>
    <label class="row"
      ><input v-model="together" type="checkbox" data-test="group-together" /> A member that is moved by hand takes the others with
      it</label
    >
    <div class="members" role="group" aria-label="Members">
      <label v-for="t in tracks" :key="t.id"><input v-model="members" type="checkbox" :value="t.id" /> {{ t.name }}</label>
    </div>
    <template #footer>
      <el-button v-if="group?.id" data-test="dissolve-group" @click="emit('dissolve', group.id)">Dissolve</el-button>
      <el-button @click="emit('close')">Cancel</el-button>
      <el-button type="primary" data-test="put-group" :disabled="name.trim() === '' || members.length === 0" @click="put">Keep</el-button>
    </template>
  </el-dialog>
</template>

<style scoped>
.row {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 10px;
}
.field {
  flex: 1;
}
.swatch {
  width: 26px;
  height: 22px;
  border: 1px solid var(--line);
  border-radius: 4px;
  color: var(--panel);
  cursor: pointer;
}
.members {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 2px 12px;
  max-height: 260px;
  overflow: auto;
}
</style>
