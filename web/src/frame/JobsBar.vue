<script setup lang="ts">
import { computed, onBeforeUnmount } from 'vue'
import { ask, client } from '../api/client'
import { forget } from '../api/uploads'
import { useSession } from '../session/store'
import { useUploads } from '../session/uploading'
import { tellTrouble } from '../shared/notice'

const store = useSession()
const uploads = useUploads()
/** Jobs that ended without a result and can be tried again. */
const failed = computed(() => [...store.jobs.values()].filter((j) => j.state === 'failed'))
/** Seconds without a byte after which nobody is sending any more. Before that, another window or machine may be. */
const SILENT_S = 10
const announced = computed(() => store.detail?.uploads ?? [])
const left = computed(() => (announced.value.every((u) => u.idle_s > SILENT_S) ? uploads.left(announced.value) : []))
const timer = window.setInterval(() => {
  if (announced.value.length > 0 && !uploads.busy.value) void store.reload()
}, 4000)
onBeforeUnmount(() => clearInterval(timer))
const shown = computed(() => uploads.busy.value || store.running.length > 0 || failed.value.length > 0 || left.value.length > 0)

async function forgetLeft(): Promise<void> {
  await Promise.all(left.value.map((u) => forget(`/api/uploads/${u.id}`)))
  await store.reload()
}

async function cancel(job: string): Promise<void> {
  try {
    await ask(client.POST('/api/jobs/{job}/cancel', { params: { path: { job } } }))
  } catch (e) {
    tellTrouble((e as Error).message)
  }
}
</script>

<template>
  <div v-if="shown" class="jobs" role="status" data-test="jobs">
    <template v-if="uploads.busy.value">
      <span
        >Bringing in: {{ uploads.sent.value }} of {{ uploads.list.length }} files are here<template v-if="uploads.list.some((u) => u.away)"
          >; the server is away, they go on by themselves</template
        ></span
      >
      <el-progress :percentage="Math.round(uploads.total.value * 100)" :stroke-width="8" class="bar" aria-label="Files that are here" />
    </template>
    <template v-else-if="left.length > 0">
      <span class="caution"
        >{{ left.length === 1 ? `“${left[0]!.file_name}” did not arrive` : `${left.length} files did not arrive` }}: choose
        {{ left.length === 1 ? 'it' : 'them' }} again under Recordings, and what is here already is not sent twice.</span
      >
      <button class="plain" data-test="forget-uploads" @click="forgetLeft">Go on without</button>
    </template>
    <template v-for="job in store.running.slice(0, 2)" :key="job.id">
      <span class="doing">{{ job.doing || job.title }}</span>
      <el-progress :percentage="Math.round(job.progress * 100)" :stroke-width="8" class="bar" :aria-label="job.title" />
      <button class="plain" @click="cancel(job.id)">Cancel</button>
    </template>
    <span v-if="store.running.length > 2" class="soft">and {{ store.running.length - 2 }} more</span>
    <template v-for="job in failed.slice(0, 2)" :key="job.id">
      <span class="doing caution" :title="job.error ?? ''">{{ job.error ?? `${job.title} failed.` }}</span>
      <button class="plain" data-test="retry" @click="store.settleJob(job.id, 'retry')">Try again</button>
      <button class="plain" :title="`Leave it: ${job.title}`" data-test="leave" @click="store.settleJob(job.id, 'leave')">✕</button>
    </template>
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
