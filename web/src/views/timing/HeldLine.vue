<script setup lang="ts">
import type { useDerived } from '../../session/derived'

/** What stands above the plots: what went wrong, how far the measuring is, or what was found. */
defineProps<{ held: Pick<ReturnType<typeof useDerived<unknown, unknown>>, 'trouble' | 'job'>; waiting: boolean }>()
</script>

<template>
  <p v-if="held.trouble.value" class="sentence undecided" role="alert">{{ held.trouble.value }}</p>
  <p v-else-if="held.job.value && waiting" class="sentence" role="status">
    {{ held.job.value.title }}: {{ Math.round(held.job.value.progress * 100) }} %
  </p>
  <slot v-else />
</template>
