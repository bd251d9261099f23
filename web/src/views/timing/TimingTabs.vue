<script setup lang="ts">
import { useSession } from '../../session/store'

const store = useSession()
const tabs = [
  { name: 'timing', label: 'Set', title: 'Tracks that are moved together, onto a grid or onto other strokes' },
  { name: 'layer', label: 'Layer', title: 'A track that doubles another hit by hit' },
  { name: 'takes', label: 'Takes', title: 'Two takes of one part, side by side' },
  { name: 'doubles', label: 'Doubles', title: 'Takes that double a lead, brought into time with it' },
  { name: 'pitch', label: 'Pitch', title: 'The pitch of a voice, and notes of it at another one' },
  { name: 'wide', label: 'Wide', title: 'Of one part a pair: copies that drift slowly, left and right' },
  { name: 'comp', label: 'Comp', title: 'Of several takes a part each' },
  { name: 'passages', label: 'Passages', title: 'Passages that are heard elsewhere, again or instead' },
  { name: 'noises', label: 'Noises', title: 'Fingers, breaths and clicks before notes' },
]
</script>

<template>
  <div class="choice" role="navigation" aria-label="Kinds of timing">
    <router-link
      v-for="t in tabs"
      :key="t.name"
      :to="{ name: t.name, params: { session: store.id } }"
      :title="t.title"
      :data-test="`tab-${t.name}`"
      >{{ t.label }}</router-link
    >
  </div>
</template>
