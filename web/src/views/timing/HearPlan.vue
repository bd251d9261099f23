<script setup lang="ts">
import { computed, onBeforeUnmount, watch } from 'vue'
import type { PlanTried } from '../../audio/transport'
import { useSession } from '../../session/store'
import { useKeys } from '../../shared/keys'

const props = defineProps<{
  plan: PlanTried
  /** The server has cut it: it can be heard. */
  ready: boolean
  /** The tracks carry it already. */
  carried: boolean
}>()
const store = useSession()
const on = computed(() => store.planHere !== null)
const text = computed(() => JSON.stringify(props.plan))

function toggle(): void {
  if (on.value) return store.hearPlan(null)
  if (!props.ready || props.carried) return
  store.hearPlan(props.plan)
  if (!store.heard.playing) void store.toggleSound()
}
// What is heard follows what is set, once it is cut; what is carried needs no trial.
watch(
  () => [props.ready, props.carried, text.value] as const,
  ([ready, carried]) => {
    if (!on.value) return
    if (carried) store.hearPlan(null)
    else if (ready) store.hearPlan(props.plan)
  },
)
onBeforeUnmount(() => on.value && store.hearPlan(null))
useKeys('Timing', [{ key: 'f', label: 'Hear it as planned / as it is', run: toggle }])
</script>

<template>
  <el-button
    v-if="!carried"
    size="small"
    :type="on ? 'success' : 'default'"
    :disabled="!ready && !on"
    :aria-pressed="on"
    title="F: as planned, before it is taken / as it is"
    data-test="hear-plan"
    @click="toggle"
    >{{ on ? 'Heard as planned' : 'Hear it' }}</el-button
  >
</template>
