<script setup lang="ts">
import { computed } from 'vue'
import { fixed } from '../../shared/units'

/** Which side is louder, in dB of the right against the left: over the whole, and of what sounds now. Null where a side is silent. */
const props = defineProps<{ whole: number | null; now: number | null }>()

/** Differences from here up lie at the end of the bar. */
const MOST_DB = 12
const place = (db: number) => 50 + (50 * Math.min(Math.max(db, -MOST_DB), MOST_DB)) / MOST_DB
const text = (db: number | null) => {
  if (db === null) return 'no signal'
  if (Math.abs(db) < 0.05) return 'even'
  return `${db > 0 ? 'right' : 'left'} louder by ${fixed(Math.abs(db), 1)} dB`
}
const bar = computed(() => {
  if (props.now === null) return null
  const [from, to] = [50, place(props.now)].sort((a, b) => a - b) as [number, number]
  return { left: `${from}%`, width: `${to - from}%` }
})
const told = computed(() => `Balance over the whole: ${text(props.whole)}${props.now === null ? '' : `; now: ${text(props.now)}`}`)
</script>

<template>
  <div class="bar" role="img" :aria-label="told" :title="told" data-test="balance" :data-whole="whole" :data-now="now">
    <span aria-hidden="true">L</span>
    <i class="track">
      <i v-if="bar" class="now" :style="bar" />
      <i class="middle" />
      <i v-if="whole !== null" class="whole" :style="{ left: `${place(whole)}%` }" />
    </i>
    <span aria-hidden="true">R</span>
  </div>
</template>

<style scoped>
.bar {
  display: flex;
  gap: 6px;
  align-items: center;
  font: 11px var(--mono);
}
.track {
  position: relative;
  flex: 1;
  height: 12px;
  border: 1px solid var(--line);
  background: var(--panel);
}
.track i {
  position: absolute;
  top: 0;
  bottom: 0;
}
.now {
  background: var(--shoal);
}
.middle {
  left: 50%;
  width: 1px;
  background: var(--soft);
}
.whole {
  width: 3px;
  margin-left: -1px;
  background: var(--depth);
}
</style>
