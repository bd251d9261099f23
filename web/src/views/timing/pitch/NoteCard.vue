<script setup lang="ts">
import { computed } from 'vue'
import { useSession } from '../../../session/store'
import { typedNumber, vTyped } from '../../../shared/typed'
import { clock, fixed } from '../../../shared/units'
import { changeOf, told, toNearest, usualChange, within, type NoteOf, type Plan, type Sung } from './plan'

const props = defineProps<{ note: Sung; plan: Plan }>()
const emit = defineEmits<{ change: [part: Partial<Pick<NoteOf, 'cents' | 'drift' | 'vibrato'>>] }>()
const store = useSession()
const now = computed(() => ({ ...usualChange(props.note), ...changeOf(props.plan, props.note) }))
const changed = computed(() => changeOf(props.plan, props.note) !== undefined)

function cents(e: globalThis.Event): void {
  const value = typedNumber(e)
  if (value !== null) emit('change', { cents: within(value) })
}
function part(e: globalThis.Event, of: 'drift' | 'vibrato'): void {
  const value = typedNumber(e)
  if (value !== null) emit('change', { [of]: Math.max(0, Math.min(100, value)) })
}
</script>

<template>
  <section class="looked-at" data-test="note-card">
    <h2>Note at {{ clock(note.from, store.rateHz) }}</h2>
    <p :class="note.verdict === 'undecided' ? 'undecided' : ''">{{ told(note.key) }} – {{ note.verdict }}</p>
    <p class="row">
      <label for="cents">up by</label>
      <input id="cents" v-typed="fixed(now.cents, 1)" class="typed" inputmode="decimal" data-test="cents" @change="cents" />
      <span class="soft" title="Down when negative; a hundred are a semitone">cents</span>
    </p>
    <p class="row">
      <label for="drift" title="What is slower than a vibrato">drift</label>
      <input id="drift" v-typed="now.drift" class="typed" inputmode="decimal" data-test="drift" @change="part($event, 'drift')" />
      <label for="vibrato">vibrato</label>
      <input id="vibrato" v-typed="now.vibrato" class="typed" inputmode="decimal" data-test="vibrato" @change="part($event, 'vibrato')" />
      <span class="soft" title="Part that stays">% stay</span>
    </p>
    <p class="row">
      <button class="plain" title="J" data-test="nearest" @click="emit('change', { cents: toNearest(note) })">To the nearest key</button>
      <button v-if="changed" class="plain" title="X" data-test="as-sung" @click="emit('change', { cents: 0, drift: 100, vibrato: 100 })">
        As it was
      </button>
    </p>
  </section>
</template>
