<script setup lang="ts">
import { computed } from 'vue'
import { keyActions, letters, setLetters, useKeys } from '../shared/keys'
import { keysShown } from './keysShown'

useKeys('Everywhere', [{ key: '?', label: 'Show the keys', run: () => (keysShown.value = !keysShown.value) }])

const groups = computed(() => {
  const out = new Map<string, { key: string; label: string }[]>()
  for (const a of keyActions()) out.set(a.group, [...(out.get(a.group) ?? []), a])
  return [...out]
})

const NAMES: Record<string, string> = { ' ': 'Space', ArrowLeft: '←', ArrowRight: '→', ArrowUp: '↑', ArrowDown: '↓' }

function shown(key: string): string[] {
  const parts = key === '+' ? [key] : key.split('+')
  return parts.map((k) => NAMES[k] ?? (k.length === 1 ? k.toUpperCase() : k))
}
</script>

<template>
  <el-dialog v-model="keysShown" title="Keys" width="min(960px, 94vw)" top="6vh">
    <label class="letters">
      <input type="checkbox" :checked="letters" data-test="letters" @change="setLetters(($event.target as HTMLInputElement).checked)" />
      Single-letter keys are on (letters, numbers and signs). Space, Enter, the arrows and keys with Ctrl always work.
    </label>
    <div class="groups">
      <section v-for="[name, list] in groups" :key="name">
        <h2>{{ name }}</h2>
        <p v-for="a in list" :key="a.key">
          <span
            ><kbd v-for="k in shown(a.key)" :key="k">{{ k }}</kbd></span
          >{{ a.label }}
        </p>
      </section>
    </div>
  </el-dialog>
</template>

<style scoped>
.letters {
  display: flex;
  gap: 8px;
  align-items: center;
  margin-bottom: 10px;
}
.groups {
  columns: 3;
}
section {
  margin-bottom: 12px;
}
p {
  break-inside: avoid;
  margin: 3px 0;
  display: flex;
  gap: 8px;
}
p span {
  min-width: 76px;
  flex: none;
}
</style>
