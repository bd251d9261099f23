<script setup lang="ts">
import { useSession } from '../../session/store'

/** Several of the session's tracks. */
defineProps<{ placeholder?: string }>()
const model = defineModel<string[]>({ required: true })
const store = useSession()
</script>

<template>
  <el-select v-model="model" multiple collapse-tags collapse-tags-tooltip filterable size="small" :placeholder="placeholder ?? ''">
    <el-option v-for="t in store.inOrder" :key="t.id" :value="t.id" :label="t.name" />
  </el-select>
</template>
