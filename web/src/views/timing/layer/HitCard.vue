<script setup lang="ts">
import { computed } from 'vue'
import { useSession } from '../../../session/store'
import { typedNumber, vTyped } from '../../../shared/typed'
import { clock, fixed } from '../../../shared/units'
import { onto, type Hit } from './plan'

const props = defineProps<{ hit: Hit; pickedOnly: boolean }>()
const emit = defineEmits<{ move: [by: number | null] }>()
const store = useSession()

const ms = (frames: number) => (1000 * frames) / store.rateHz
const told = computed(() => {
  const late = props.hit.late
  if (late === null || late === undefined) return 'the source has no hit here'
  return `${fixed(Math.abs(ms(late)), 2)} ms ${late < 0 ? 'before' : 'after'} its source – ${props.hit.verdict}`
})
function typed(e: globalThis.Event): void {
  const value = typedNumber(e)
  if (value !== null) emit('move', Math.round((value / 1000) * store.rateHz))
}
</script>

<template>
  <section class="looked-at" data-test="hit-card">
    <h2>Hit at {{ clock(hit.at, store.rateHz) }}</h2>
    <p :class="hit.verdict === 'undecided' ? 'undecided' : ''">{{ told }}</p>
    <p class="row">
      <label for="hit-move">goes</label>
      <input id="hit-move" v-typed="fixed(ms(hit.by), 2)" class="typed" inputmode="decimal" data-test="hit-move" @change="typed" />
      <span class="soft" title="Later when positive">ms</span>
    </p>
    <p class="row">
      <button class="plain" title="A" data-test="hit-as-recorded" @click="emit('move', 0)">As recorded</button>
      <button v-if="pickedOnly && onto(hit) !== null" class="plain" title="X" data-test="hit-onto" @click="emit('move', onto(hit))">
        Onto its source
      </button>
      <button v-if="hit.by_hand" class="plain" data-test="hit-as-all" @click="emit('move', null)">As all</button>
    </p>
  </section>
</template>
