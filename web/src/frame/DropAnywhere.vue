<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { ask, client } from '../api/client'
import { useSession } from '../session/store'
import { useUploads } from '../session/uploading'
import { tellTrouble } from '../shared/notice'

/** Files dropped anywhere are brought in: into the open session, or into a new one where none is open. */
const [route, router] = [useRoute(), useRouter()]
const store = useSession()
const uploads = useUploads()
const over = ref(false)

const brings = (e: DragEvent) => e.dataTransfer?.types.includes('Files') ?? false

function onOver(e: DragEvent): void {
  if (!brings(e)) return
  e.preventDefault()
  over.value = true
}

function onLeave(e: DragEvent): void {
  if (e.relatedTarget === null) over.value = false
}

async function onDrop(e: DragEvent): Promise<void> {
  if (!brings(e)) return
  e.preventDefault()
  over.value = false
  const files = [...(e.dataTransfer?.files ?? [])]
  if (files.length === 0) return
  const open = route.params.session
  if (typeof open === 'string') return uploads.add(open, files, store.detail?.uploads ?? [])
  try {
    const day = new Date().toLocaleDateString('en-GB', { day: 'numeric', month: 'long', year: 'numeric' })
    const made = await ask(client.POST('/api/sessions', { body: { name: `Session of ${day}` } }))
    uploads.add(made.id, files)
    await router.push({ name: 'recordings', params: { session: made.id } })
  } catch (error) {
    tellTrouble((error as Error).message)
  }
}

onMounted(() => {
  window.addEventListener('dragover', onOver)
  window.addEventListener('dragleave', onLeave)
  window.addEventListener('drop', onDrop)
})
onBeforeUnmount(() => {
  window.removeEventListener('dragover', onOver)
  window.removeEventListener('dragleave', onLeave)
  window.removeEventListener('drop', onDrop)
})
</script>

<template>
  <div v-if="over" class="over">
    {{ route.params.session ? 'Drop the files to bring them in' : 'Drop the files: they make a new session' }}
  </div>
</template>

<style scoped>
.over {
  position: fixed;
  inset: 6px;
  display: grid;
  place-items: center;
  font-size: 20px;
  background: color-mix(in srgb, var(--shoal) 85%, transparent);
  border: 2px dashed var(--depth);
  pointer-events: none;
  z-index: 50;
}
</style>
