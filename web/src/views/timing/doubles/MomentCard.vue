<script setup lang="ts">
import { computed } from 'vue'
import type { Thread } from '../../../plot/threads'
import { useSession } from '../../../session/store'
import { typedNumber, vTyped } from '../../../shared/typed'
import { clock, fixed } from '../../../shared/units'
import type { Knot } from './plan'

const props = defineProps<{ knot: Knot; thread: Thread }>()
const emit = defineEmits<{
  /** It lands so many frames after the lead's; null: where the plan has it. */
  pin: [later: number | null]
}>()
const store = useSession()
const side = (ms: number) => (Math.abs(ms) < 0.05 ? 'with the lead' : `${fixed(Math.abs(ms), 1)} ms ${ms < 0 ? 'before' : 'after'} it`)
const lands = computed(() => fixed(props.thread.after, 1))
function typed(e: globalThis.Event): void {
  const value = typedNumber(e)
  if (value !== null) emit('pin', Math.round((value / 1000) * store.rateHz))
}
</script>

<template>
  <section class="looked-at" data-test="moment-card">
    <h2>Beginning at {{ clock(knot.lead, store.rateHz) }}</h2>
    <p :class="knot.verdict === 'undecided' ? 'undecided' : ''">{{ side(thread.before) }} – {{ knot.verdict }}</p>
    <p class="row">
      <label for="lands">lands</label>
      <input id="lands" v-typed="lands" class="typed" inputmode="decimal" data-test="lands" @change="typed" />
      <span class="soft" title="Later than the lead when positive">ms after the lead</span>
    </p>
    <p class="row">
      <button v-if="!thread.pinned" class="plain" title="P" data-test="pin" @click="emit('pin', 0)">Pin to the lead</button>
      <button v-else class="plain" data-test="unpin" @click="emit('pin', null)">Remove the pin</button>
    </p>
  </section>
</template>
