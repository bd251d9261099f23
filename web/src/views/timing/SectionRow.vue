<script setup lang="ts">
import { useSession } from '../../session/store'
import { typedNumber, vTyped } from '../../shared/typed'
import { clock } from '../../shared/units'
import { GRIDS, type Section } from './plan'

const props = defineProps<{ section: Section; index: number }>()
const emit = defineEmits<{ change: [section: Section]; remove: [] }>()
const store = useSession()

const set = (part: Partial<Section>) => emit('change', { ...props.section, ...part })
/** A number within its bounds; what is none is not taken. */
function typed(e: globalThis.Event, key: 'strength' | 'slack_ms' | 'farthest_ms', most: number): void {
  const value = typedNumber(e)
  if (value !== null) set({ [key]: Math.max(0, Math.min(most, value)) })
}
const grids = () => (GRIDS.includes(props.section.grid as never) ? GRIDS : [props.section.grid, ...GRIDS])
</script>

<template>
  <div class="section" :data-section="index">
    <span class="part">{{
      section.range ? `${clock(section.range[0]!, store.rateHz)} – ${clock(section.range[1]!, store.rateHz)}` : 'whole session'
    }}</span>
    <label :for="`grid-${index}`">onto</label>
    <el-select
      :id="`grid-${index}`"
      :model-value="section.onto ?? section.grid"
      size="small"
      class="onto"
      filterable
      data-test="grid"
      @change="(v: string) => set(store.track(v) ? { onto: v } : { onto: null, grid: v })"
    >
      <el-option-group label="Note values">
        <el-option v-for="g in grids()" :key="g" :value="g" :label="g" />
      </el-option-group>
      <el-option-group label="Strokes of a track">
        <el-option v-for="t in store.inOrder" :key="t.id" :value="t.id" :label="t.name" />
      </el-option-group>
    </el-select>
    <label :for="`strength-${index}`">strength</label>
    <input
      :id="`strength-${index}`"
      type="range"
      min="0"
      max="100"
      step="1"
      :value="section.strength"
      data-test="strength"
      @input="typed($event, 'strength', 100)"
    />
    <span class="mono percent">{{ Math.round(section.strength) }} %</span>
    <label :for="`slack-${index}`" title="Deviations up to this stay">slack</label>
    <input
      :id="`slack-${index}`"
      v-typed="section.slack_ms"
      class="typed"
      inputmode="decimal"
      data-test="slack"
      @change="typed($event, 'slack_ms', 500)"
    />
    <span class="soft">ms</span>
    <label :for="`farthest-${index}`" title="What is further off is left, and listed">farthest</label>
    <input
      :id="`farthest-${index}`"
      v-typed="section.farthest_ms"
      class="typed"
      inputmode="decimal"
      data-test="farthest"
      @change="typed($event, 'farthest_ms', 2000)"
    />
    <span class="soft">ms</span>
    <slot />
    <button class="plain" :aria-label="`Remove section ${index + 1}`" data-test="remove-section" @click="emit('remove')">Remove</button>
  </div>
</template>

<style scoped>
.section {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 4px 8px;
  font-size: 13px;
}
.part {
  min-width: 108px;
}
.onto {
  width: 130px;
}
.percent {
  width: 46px;
}
[type='range'] {
  accent-color: var(--depth);
  width: 120px;
}
</style>
