<script setup lang="ts">
import { computed } from 'vue'
import { useSession } from '../../session/store'
import { typedNumber, vTyped } from '../../shared/typed'
import { clock, fixed } from '../../shared/units'
import { alikeAround, ownOf, type Event, type Plan } from './plan'
import { offMs, type Shown } from './strokes'

const props = defineProps<{ shown: readonly Shown[]; index: number; plan: Plan }>()
const emit = defineEmits<{
  /** By how many frames these strokes go; null: as their section says. */
  move: [events: Event[], by: number | null]
  /** It is a pin, or no more. */
  pin: [event: Event, on: boolean]
  /** These are no strokes. */
  leaveOut: [event: Event]
  close: []
}>()
const store = useSession()

const one = computed(() => props.shown[props.index]!)
const own = computed(() => ownOf(props.plan, one.value.event.at, store.rateHz))
const names = computed(() => one.value.event.tracks.map((id) => store.track(id)?.name ?? '').join(', '))
const ms = (frames: number) => (1000 * frames) / store.rateHz
const side = (off: number) => (Math.abs(off) < 0.005 ? 'on its place' : `${fixed(Math.abs(off), 1)} ms ${off < 0 ? 'early' : 'late'}`)

/** The neighbours that are off in the same way: whoever came in early did not do so with one stroke. */
const alike = computed(() =>
  alikeAround(
    props.shown.map((s) => s.event),
    props.index,
    store.rateHz,
  ),
)
const away = computed(() => {
  const off = alike.value.map((n) => offMs(props.shown[n]!, store.rateHz)).sort((a, b) => a - b)
  return off[Math.floor(off.length / 2)]!
})
const together = () =>
  emit(
    'move',
    alike.value.map((n) => props.shown[n]!.event),
    Math.round((-away.value / 1000) * store.rateHz),
  )

function typed(e: globalThis.Event): void {
  const value = typedNumber(e)
  if (value !== null) emit('move', [one.value.event], Math.round((value / 1000) * store.rateHz))
}
</script>

<template>
  <section class="looked-at" data-test="stroke-card">
    <h2>{{ names }} <button class="plain close" aria-label="Choose none" @click="emit('close')">×</button></h2>
    <p>
      <span class="mono">{{ clock(one.event.at, store.rateHz) }}</span> · {{ side(offMs(one, store.rateHz)) }}
    </p>
    <p class="row">
      <label for="own-move">goes</label>
      <input id="own-move" v-typed="fixed(ms(one.by), 2)" class="typed" inputmode="decimal" data-test="own-move" @change="typed" />
      <span class="soft" title="Later when positive">ms</span>
    </p>
    <p class="row">
      <button class="plain" title="A" data-test="as-played" @click="emit('move', [one.event], 0)">As played</button>
      <button v-if="own" class="plain" data-test="as-section" @click="emit('move', [one.event], null)">As its section</button>
      <button class="plain" title="X" data-test="leave-out" @click="emit('leaveOut', one.event)">No stroke</button>
    </p>
    <label class="pin" title="What lies between two pins moves with them">
      <input
        type="checkbox"
        :checked="own?.pin ?? false"
        data-test="pin"
        @change="emit('pin', one.event, ($event.target as HTMLInputElement).checked)"
      />
      pin: what lies between two moves along
    </label>
    <p v-if="alike.length > 1" data-test="neighbours">
      {{ alike.length - 1 === 1 ? 'Its neighbour is' : `${alike.length - 1} neighbours are` }} about {{ side(away) }} too.
      <button class="link" data-test="move-together" @click="together">Move all {{ alike.length }} by the same</button>
    </p>
  </section>
</template>

<style scoped>
h2 {
  display: flex;
  justify-content: space-between;
}
.pin {
  display: flex;
  gap: 6px;
}
.close {
  padding: 0 5px;
}
</style>
