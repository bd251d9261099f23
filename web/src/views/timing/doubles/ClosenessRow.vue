<script setup lang="ts">
import { computed, ref } from 'vue'
import { typedNumber, vTyped } from '../../../shared/typed'
import { PRESETS, sameCloseness, type Closeness, type Plan } from './plan'
import { usePresets } from './presets'

/** How closely the takes follow: by name, or by numbers. */
const props = defineProps<{ plan: Plan }>()
const emit = defineEmits<{ change: [to: Closeness]; pitch: [part: number] }>()
const { own, keep, forget } = usePresets()

const all = computed(() => [...PRESETS, ...own.value])
const named = computed(() => all.value.find((p) => sameCloseness(p, props.plan)))
const isOwn = computed(() => own.value.some((p) => p.name === named.value?.name))
const name = ref('')
function choose(of: string): void {
  const preset = all.value.find((p) => p.name === of)
  if (preset) emit('change', { strength: preset.strength, slack_ms: preset.slack_ms, ratio: preset.ratio })
}
function typed(e: globalThis.Event, key: keyof Closeness, [least, most]: readonly [number, number]): void {
  const value = typedNumber(e)
  const { strength, slack_ms, ratio } = props.plan
  if (value !== null) emit('change', { strength, slack_ms, ratio, [key]: Math.max(least, Math.min(most, value)) })
}
function pitch(e: globalThis.Event): void {
  const value = typedNumber(e)
  if (value !== null) emit('pitch', Math.max(0, Math.min(100, value)))
}
function keepIt(): void {
  const { strength, slack_ms, ratio } = props.plan
  if (keep({ name: name.value, strength, slack_ms, ratio })) name.value = ''
}
</script>

<template>
  <el-select
    :model-value="named?.name ?? ''"
    size="small"
    class="named"
    placeholder="own numbers"
    aria-label="How closely they follow"
    data-test="closeness"
    @change="choose"
  >
    <el-option v-for="p in all" :key="p.name" :value="p.name" :label="p.name" />
  </el-select>
  <span class="field">
    <label for="strength" title="Part of the difference that is taken out">strength</label>
    <input
      id="strength"
      v-typed="plan.strength"
      class="typed"
      inputmode="decimal"
      data-test="strength"
      @change="typed($event, 'strength', [0, 100])"
    />
    <span class="soft">%</span>
  </span>
  <span class="field">
    <label for="slack" title="What is apart by no more than this stays, and of all else this much">slack</label>
    <input
      id="slack"
      v-typed="plan.slack_ms"
      class="typed"
      inputmode="decimal"
      data-test="slack"
      @change="typed($event, 'slack_ms', [0, 200])"
    />
    <span class="soft">ms</span>
  </span>
  <span class="field">
    <label for="ratio" title="A take runs at most so many times faster or slower than it was">at most</label>
    <input id="ratio" v-typed="plan.ratio" class="typed" inputmode="decimal" data-test="ratio" @change="typed($event, 'ratio', [1, 2])" />
    <span class="soft" title="Times faster or slower than it was">×</span>
  </span>
  <template v-if="!named">
    <input
      v-model="name"
      class="typed name"
      placeholder="name it"
      aria-label="Name of these numbers"
      data-test="preset-name"
      @keydown.enter="keepIt"
    />
    <button class="link" :disabled="name.trim() === ''" data-test="keep-preset" @click="keepIt">Keep</button>
  </template>
  <button v-else-if="isOwn" class="link" data-test="forget-preset" @click="forget(named.name)">Forget {{ named.name }}</button>
  <span class="field">
    <label for="pitch" title="Part of the way that their pitch is drawn towards the lead's, or to its nearest octave">pitch</label>
    <input id="pitch" v-typed="plan.pitch ?? 0" class="typed" inputmode="decimal" data-test="pitch" @change="pitch" />
    <span class="soft">%</span>
  </span>
</template>

<style scoped>
.named {
  width: 110px;
}
.name {
  width: 90px;
}
</style>
