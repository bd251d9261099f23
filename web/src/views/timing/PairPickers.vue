<script setup lang="ts">
import { useSession } from '../../session/store'

/** Two tracks, each with its words before it: those of the pair that everything else looks at and listens to. */
const props = defineProps<{
  first: { of: 'a' | 'b'; label: string; name: string }
  second: { of: 'a' | 'b'; label: string; name: string }
}>()
const store = useSession()
const other = (of: 'a' | 'b') => store.pair[of === 'a' ? 'b' : 'a']
const choose = (of: 'a' | 'b', id: string) => (of === 'a' ? store.choose(id, undefined) : store.choose(undefined, id))
</script>

<template>
  <template v-for="p in [props.first, props.second]" :key="p.of">
    <label :for="p.name">{{ p.label }}</label>
    <el-select
      :id="p.name"
      :model-value="store.pair[p.of]"
      filterable
      size="small"
      class="pick"
      :data-test="p.name"
      @change="(id: string) => choose(p.of, id)"
    >
      <el-option v-for="t in store.inOrder.filter((t) => t.id !== other(p.of))" :key="t.id" :value="t.id" :label="t.name" />
    </el-select>
  </template>
</template>
