<script setup lang="ts">
import { useInfiniteQuery } from '@tanstack/vue-query'
import { computed } from 'vue'
import { ask, client, type Decision } from '../api/client'
import { useSession } from '../session/store'

/** What was decided, newest first; read in pages. */
const store = useSession()

const { data, error, hasNextPage, isFetchingNextPage, fetchNextPage } = useInfiniteQuery({
  queryKey: computed(() => [store.id, 'history']),
  initialPageParam: undefined as number | undefined,
  queryFn: ({ pageParam }) =>
    ask(client.GET('/api/sessions/{session}/decisions', { params: { path: { session: store.id }, query: { before: pageParam } } })),
  // A page that came back empty was the last one.
  getNextPageParam: (last: Decision[]) => last.at(-1)?.id,
})
const decisions = computed(() => data.value?.pages.flat() ?? [])
</script>

<template>
  <p v-if="error" class="soft">{{ error.message }}</p>
  <p v-else-if="data && decisions.length === 0" class="soft">Nothing was decided yet.</p>
  <ol class="history">
    <li v-for="d in decisions" :key="d.id" :class="d.state">
      {{ d.label
      }}<span v-if="d.state !== 'done'" class="soft"> ({{ d.state === 'undone' ? 'taken back' : 'taken back, decided anew' }})</span>
    </li>
  </ol>
  <button
    v-if="hasNextPage && decisions.length < (store.detail?.steps.count ?? 0)"
    class="plain"
    data-test="earlier"
    :disabled="isFetchingNextPage"
    @click="fetchNextPage()"
  >
    Earlier decisions
  </button>
</template>

<style scoped>
.history {
  padding-left: 20px;
  margin: 0;
}
.history li {
  padding: 3px 0;
}
.history li.undone,
.history li.superseded {
  color: var(--soft);
}
</style>
