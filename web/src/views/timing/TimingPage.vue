<script setup lang="ts">
import { useSession } from '../../session/store'
import TimingTabs from './TimingTabs.vue'

/** A view of timing: what it needs, its pickers, and all below them. */
defineProps<{ title: string; least: number }>()
const store = useSession()
</script>

<template>
  <div class="filled timing">
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

<!-- For what the views put in: a plot and what is said beside it, one below the other where there is no room; fields with their words. Any view may lay it out otherwise. -->
<style>
:where(.timing) .plots {
  flex: 1;
  min-height: 0;
  display: grid;
  grid-template-columns: minmax(0, 1fr) 290px;
  gap: 8px;
}
:where(.timing) .buttons {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px;
  margin: 0 0 8px;
}
:where(.timing) .field {
  display: inline-flex;
  align-items: center;
  gap: 8px;
}
:where(.timing) .intro {
  max-width: 640px;
}
@media (max-width: 900px), (max-height: 560px) {
  :where(.timing) .plots {
    grid-template-columns: minmax(0, 1fr);
    grid-auto-rows: minmax(240px, auto);
  }
}
</style>
