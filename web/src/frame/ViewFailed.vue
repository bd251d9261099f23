<script setup lang="ts">
import { ref } from 'vue'
import { useRouter } from 'vue-router'

// A view's own script comes when it is first opened. Where it does not come, the old view or an empty page would stay without a word.
const router = useRouter()
const wanted = ref('')
router.onError((_, to) => (wanted.value = to.fullPath))
router.afterEach((_to, _from, failure) => {
  if (!failure) wanted.value = ''
})

function again(): void {
  location.assign(wanted.value)
}
</script>

<template>
  <div v-if="wanted" class="failed" role="alert" data-test="view-failed">
    This view could not be loaded from the server.
    <button class="plain" @click="again">Load it again</button>
  </div>
</template>

<style scoped>
.failed {
  position: fixed;
  inset: 0 0 auto;
  z-index: 3000;
  padding: 8px 12px;
  background: var(--panel);
  border-bottom: 2px solid var(--caution);
  display: flex;
  gap: 12px;
  align-items: center;
}
</style>
