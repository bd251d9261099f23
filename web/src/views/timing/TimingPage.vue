<script setup lang="ts">
import { useSession } from '../../session/store'
import TimingTabs from './TimingTabs.vue'

/** A view of timing: what it needs, its pickers, and all below them. */
defineProps<{ title: string; least: number }>()
const store = useSession()
</script>

<template>
  <div class="filled">
    <div v-if="store.tracks.length < least" class="view">
      <h1>{{ title }}</h1>
      <p>
        {{ least > 1 ? 'Two tracks are needed.' : 'A track is needed.' }}
        <router-link :to="{ name: 'recordings', params: { session: store.id } }">Bring in recordings</router-link>.
      </p>
    </div>
    <template v-else>
      <div class="pickers">
        <h1>Timing</h1>
        <TimingTabs />
        <slot name="pickers" />
      </div>
      <slot />
    </template>
  </div>
</template>
