import { computed, onBeforeUnmount, watch, type Ref } from 'vue'
import { useSession } from './store'

/** A job that was asked for: reads again once it is done, and says why when it is not. */
export function followJob(job: Ref<string>, trouble: Ref<string>, what: string, read: () => Promise<void>) {
  const store = useSession()
  const running = computed(() => (job.value ? store.jobs.get(job.value) : undefined))
  watch(running, (j) => {
    if (j?.state === 'done') void read()
    if (j?.state === 'failed') trouble.value = j.error ?? `${what} failed.`
    if (j?.state === 'cancelled') trouble.value = `${what} was cancelled.`
  })
  // A job that ended before its first event was seen would never be told again.
  const timer = window.setInterval(() => {
    if (job.value && !running.value) void read()
  }, 1500)
  onBeforeUnmount(() => clearInterval(timer))
  return running
}
