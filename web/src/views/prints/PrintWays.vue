<script setup lang="ts">
import { computed } from 'vue'
import { fixed } from '../../shared/units'
import type { Moving, PrintView, Way } from './usePrint'

const props = defineProps<{ view: PrintView; moving: Moving; heard: Way | null; busy: boolean; swings: boolean }>()
const emit = defineEmits<{ hear: [way: Way]; choose: [way: Way | null] }>()

const TITLES: Record<Way, string> = { offset: 'One offset', drift: 'Offset and speed', map: 'The whole lag' }
const TELLS: Record<Moving, Record<Way, string>> = {
  print: {
    offset: 'The print is moved by the median of its lag.',
    drift: 'It is moved, and runs at a constant speed of its own.',
    map: 'Its speed follows the lag at every moment.',
  },
  walker: {
    offset: 'The second microphone is moved by the median of the lag.',
    drift: '',
    map: 'It follows who walks: its speed bends by what he walks, at most a part in a hundred.',
  },
}
const WALKER: Record<Way, string> = { offset: 'One offset', drift: '', map: 'Follow' }
const KEYS: Record<Way, string> = { offset: '3', drift: '4', map: '5' }
const WAYS = computed<Way[]>(() => (props.moving === 'walker' ? ['offset', 'map'] : ['offset', 'drift', 'map']))
/** Deepest null that the bars have room for, in dB. */
const DEEPEST = 50

/** What is not decided of who walks is left as recorded. */
const closed = computed(() => props.moving === 'walker' && props.view.verdict === 'undecided')
const left = (way: Way) => props.view.left?.[way] ?? 0
const bar = (way: Way) => `${Math.min(100, Math.max(0, (-left(way) / DEEPEST) * 100))}%`
</script>

<template>
  <div
    class="ways"
    role="group"
    :aria-label="moving === 'walker' ? 'Ways to bring the microphones together' : 'Three ways to correct the print'"
  >
    <article v-for="w in WAYS" :key="w" :class="{ chosen: view.carried === w }" :data-test="`print-${w}`" :data-left="left(w)">
      <header>
        <h2>{{ (moving === 'walker' ? WALKER : TITLES)[w] }}</h2>
        <span v-if="view.carried === w" class="now">carried</span>
      </header>
      <p class="soft">{{ TELLS[moving][w] }}</p>
      <p class="null">
        <span class="meter" aria-hidden="true"><span :style="{ width: bar(w) }" /></span>
        <b class="mono">{{ fixed(left(w), 1) }} dB</b>
      </p>
      <footer>
        <button
          class="link"
          :aria-pressed="heard === w"
          :disabled="!view.ways.includes(w)"
          :title="`Heard with its send before anything is decided (${KEYS[w]})`"
          @click="emit('hear', w)"
        >
          {{ heard === w ? 'Heard now' : 'Hear' }}
        </button>
        <button class="do" :disabled="busy || closed || view.carried === w || !view.ways.includes(w)" @click="emit('choose', w)">
          Choose
        </button>
      </footer>
    </article>
    <p class="soft note">
      What is left of the {{ moving === 'walker' ? 'second when the first' : 'print when the send' }} is subtracted through the filter that
      fits best, 80 Hz to 9 kHz: lower is better.
      <template v-if="closed">Too little of it could be decided to correct anything.</template>
      <template v-else-if="!swings && moving === 'walker'">Nobody walks: the lag stays within 0.3 ms, and one offset does.</template>
      <template v-else-if="!swings">The lag is steady: the simplest way that reaches the same is the best.</template>
    </p>
    <button
      v-if="view.carried !== 'recorded'"
      class="link"
      :disabled="busy"
      data-test="print-none"
      title="Its offset, polarity and speed as recorded"
      @click="emit('choose', null)"
    >
      {{ moving === 'walker' ? 'Leave it as recorded' : 'As recorded again' }}
    </button>
  </div>
</template>

<style scoped>
.ways {
  display: flex;
  flex-direction: column;
  gap: 8px;
  min-height: 0;
  overflow: auto;
}
article {
  background: var(--panel);
  border: 1px solid var(--line);
  padding: 7px 11px 8px;
}
article.chosen {
  border: 2px solid var(--depth);
  padding: 6px 10px 7px;
}
header,
footer,
.null {
  display: flex;
  align-items: center;
  gap: 10px;
}
footer {
  justify-content: space-between;
}
h2 {
  font-size: 14px;
}
.now {
  margin-left: auto;
  font-size: 12px;
  color: var(--clear);
  border: 1px solid currentcolor;
  border-radius: 9px;
  padding: 0 7px;
}
p {
  margin: 1px 0 4px;
  font-size: 13px;
}
.meter {
  flex: 1;
  height: 9px;
  border: 1px solid var(--line);
  background: var(--paper);
}
.meter span {
  display: block;
  height: 100%;
  background: var(--depth);
}
.note {
  font-size: 12.5px;
  line-height: 1.35;
}
.ways > .link {
  align-self: flex-start;
}
.link[aria-pressed='true'] {
  color: var(--depth);
  font-weight: 600;
  text-decoration: none;
}
</style>
