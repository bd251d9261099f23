<script setup lang="ts">
import { ref } from 'vue'
import type { Group } from '../session/deskRules'

const props = defineProps<{ group: Group; count: number }>()
const emit = defineEmits<{ set: [part: Partial<Group>]; move: [text: string]; flip: []; edit: [] }>()
const moving = ref(false)

function typed(e: Event): void {
  if (!moving.value) return
  moving.value = false
  const text = (e.target as HTMLInputElement).value.trim()
  if (text !== '') emit('move', text)
}
</script>

<template>
  <div
    class="group"
    :style="{ borderLeftColor: `var(--group-${props.group.colour})` }"
    :data-group="group.name"
    :data-folded="group.folded"
  >
    <button
      class="plain fold"
      :aria-expanded="!group.folded"
      :title="group.folded ? `unfold ${group.name}` : `fold ${group.name}`"
      data-test="fold"
      @click="emit('set', { folded: !group.folded })"
    >
      {{ group.folded ? '▸' : '▾' }}
    </button>
    <button class="plain name" :title="`${group.name}: name, colour, members`" data-test="edit-group" @click="emit('edit')">
      {{ group.name }} <span class="soft">{{ count }}</span>
    </button>
    <input
      v-if="moving"
      class="number typed"
      data-test="group-offset"
      :aria-label="`move ${group.name} by: samples, or with ms, µs, cm, m, or a note length`"
      placeholder="by …"
      @vue:mounted="({ el }: { el: HTMLInputElement }) => el.focus()"
      @keydown.enter="typed"
      @keydown.esc="moving = false"
      @blur="typed"
    />
    <button v-else class="plain" :title="`move all of ${group.name} by an amount`" data-test="move-group" @click="moving = true">
      move
    </button>
    <button class="plain" :title="`invert all of ${group.name}`" data-test="flip-group" @click="emit('flip')">invert</button>
    <button class="plain" :title="`hide ${group.name}`" data-test="hide-group" @click="emit('set', { hidden: true })">hide</button>
    <button
      class="tiny"
      :aria-pressed="group.muted"
      :title="`mute ${group.name}`"
      data-test="mute-group"
      @click="emit('set', { muted: !group.muted })"
    >
      mute
    </button>
    <button
      class="tiny"
      :aria-pressed="group.soloed"
      :title="`solo ${group.name}`"
      data-test="solo-group"
      @click="emit('set', { soloed: !group.soloed })"
    >
      solo
    </button>
  </div>
</template>
