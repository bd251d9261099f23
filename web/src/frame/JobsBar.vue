<script setup lang="ts">
import { ask, client } from '../api/client'
import { useSession } from '../session/store'
import { tellTrouble } from '../shared/notice'

const store = useSession()

async function cancel(job: string): Promise<void> {
  try {
    await ask(client.POST('/api/jobs/{job}/cancel', { params: { path: { job } } }))
  } catch (e) {
    tellTrouble((e as Error).message)
  }
}
</script>

<template>
  <div v-if="store.running.length > 0" class="jobs" role="status">
    <template v-for="job in store.running.slice(0, 2)" :key="job.id">
      <span class="doing">{{ job.doing || job.title }}</span>
      <el-progress :percentage="Math.round(job.progress * 100)" :stroke-width="8" class="bar" />
      <button class="plain" @click="cancel(job.id)">Cancel</button>
    </template>
    <span v-if="store.running.length > 2" class="soft">and {{ store.running.length - 2 }} more</span>
  </div>
</template>

<style scoped>
.jobs {
  grid-area: jobs;
  display: flex;
  align-items: center;
  gap: 10px;
  padding: 2px 16px;
  border-top: 1px solid var(--line);
  background: var(--panel);
  height: 28px;
  overflow: hidden;
  white-space: nowrap;
}
.doing {
  overflow: hidden;
  text-overflow: ellipsis;
  max-width: 280px;
}
.bar {
  width: 150px;
  flex: none;
}
</style>
