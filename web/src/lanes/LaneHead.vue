<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import type { Track } from '../api/client'
import type { Group, Lane as LaneDesk } from '../session/deskRules'
import { vTyped } from '../shared/typed'
import { fixed, span, UNITS, type Measure, type Unit } from '../shared/units'
import { shownColumns, type Column } from './columns'
import type { Lane } from './rows'

const props = defineProps<{
  lane: Lane
  track: Track
  desk: LaneDesk
  group: Group | null
  columns: readonly string[]
  unit: Unit
  measure: Measure
  policy: string
  latency: string
  selected: boolean
  picked: boolean
}>()
const emit = defineEmits<{
  select: []
  pick: []
  offset: [text: string]
  gain: [text: string]
  flip: []
  desk: [part: Partial<LaneDesk>]
  menu: [e: MouseEvent]
  grab: [e: PointerEvent]
  shift: [by: -1 | 1]
  resize: [e: PointerEvent]
}>()

const typing = ref(false)
const unitName = computed(() => UNITS.find((u) => u.value === props.unit)?.label ?? '')
const shown = computed(() => shownColumns(props.columns))

const TEXTS: Partial<Record<Column, () => string>> = {
  source: () => props.track.source,
  role: () => props.track.role,
  latency: () => props.latency,
  policy: () => props.policy,
}

const head = ref<HTMLElement | null>(null)
const offsetText = computed(() =>
  props.lane.offset === 0 ? span(0, props.unit, props.measure) : span(props.lane.offset, props.unit, props.measure),
)

const forPath = computed(() =>
  props.track.path_frames === 0 ? '' : `; ${span(props.track.path_frames, props.unit, props.measure)} besides make up for its path`,
)

/** `stay`: by the keyboard, so the focus goes back to where the typing began. */
function end(stay: boolean): void {
  typing.value = false
  if (stay) void nextTick(() => head.value?.querySelector<HTMLElement>('[data-test="type-offset"]')?.focus())
}

function typed(e: Event, stay = false): void {
  if (!typing.value) return
  end(stay)
  const text = (e.target as HTMLInputElement).value.trim()
  if (text !== '' && text !== offsetText.value) emit('offset', text)
}

function choose(e: MouseEvent): void {
  if (e.ctrlKey || e.metaKey || e.shiftKey) emit('pick')
  else emit('select')
}

/** A place as typed: L, R, C or −100 … 100. */
function pan(text: string): void {
  const clean = text.trim().toLowerCase().replace('\u2212', '-').replace(',', '.')
  const words: Record<string, number | null> = { l: -1, r: 1, c: 0, '': null }
  const value = clean in words ? words[clean]! : Number(clean) / 100
  emit('desk', { pan: value === null || Number.isNaN(value) ? null : Math.max(-1, Math.min(1, value)) })
}

const panText = computed(() => {
  const p = props.desk.pan
  if (p === null) return ''
  return Math.abs(p) === 1 ? (p < 0 ? 'L' : 'R') : p === 0 ? 'C' : fixed(p * 100, 0)
})

function level(text: string): void {
  const value = Number(text.replace('\u2212', '-').replace(',', '.'))
  emit('desk', { level_db: Number.isFinite(value) ? Math.max(-60, Math.min(12, value)) : 0 })
}

const valueOf = (e: Event) => (e.target as HTMLInputElement).value
</script>

<template>
  <div
    ref="head"
    class="lane"
    :class="{ selected, picked }"
    :style="group ? { borderLeftColor: `var(--group-${group.colour})` } : {}"
    :data-lane="lane.name"
    :data-id="lane.id"
    :data-offset="lane.offset"
    :data-inverted="lane.invert"
    :data-muted="desk.muted"
  >
    <button
      class="plain grip"
      :title="`drag ${lane.name} up or down; or focus and ↑ ↓`"
      data-test="grip"
      @pointerdown="emit('grab', $event)"
      @keydown.up.stop.prevent="emit('shift', -1)"
      @keydown.down.stop.prevent="emit('shift', 1)"
    >
      ⋮
    </button>
    <button class="plain name" :title="`${lane.name} (Ctrl: pick several)`" @click="choose">
      <i v-if="lane.anchor" class="anchor" title="anchor: stays as it is" />{{ lane.name }}
    </button>
    <input
      v-if="typing"
      v-typed="offsetText"
      class="number typed"
      :aria-label="`offset of ${lane.name} in ${unitName}, or with samples, ms, µs, cm, m, or a note length`"
      data-test="lane-offset"
      @vue:mounted="({ el }: { el: HTMLInputElement }) => (el.focus(), el.select())"
      @keydown.enter.stop.prevent="typed($event, true)"
      @keydown.esc.stop="end(true)"
      @blur="typed($event)"
    />
    <button
      v-else
      class="plain number mono"
      :title="`type an offset for ${lane.name}${forPath}`"
      data-test="type-offset"
      @click="typing = true"
    >
      {{ offsetText }}
      <small v-if="track.path_frames !== 0" data-test="lane-path">path {{ span(track.path_frames, unit, measure) }}</small>
    </button>
    <button
      class="plain turn"
      :class="lane.invert ? 'caution' : ''"
      :title="`${lane.name} is ${lane.invert ? 'inverted' : 'upright'}: invert it`"
      @click="emit('flip')"
    >
      {{ lane.invert ? '▼' : '▲' }}
    </button>
    <template v-for="c in shown" :key="c">
      <input
        v-if="c === 'gain'"
        class="number typed"
        :aria-label="`gain of ${lane.name} in dB, delivered`"
        :value="fixed(track.correction.gain_db, 1)"
        @change="emit('gain', valueOf($event))"
      />
      <input
        v-else-if="c === 'pan'"
        class="number typed"
        data-test="pan"
        :placeholder="track.side === 'left' ? 'L' : track.side === 'right' ? 'R' : 'C'"
        :aria-label="`place of ${lane.name} while listening: L, R, C or −100 to 100; empty: by its side`"
        :value="panText"
        @change="pan(valueOf($event))"
      />
      <input
        v-else-if="c === 'level'"
        class="number typed"
        data-test="level"
        :aria-label="`listening level of ${lane.name} in dB, never delivered`"
        :value="fixed(desk.level_db, 1)"
        @change="level(valueOf($event))"
      />
      <span v-else class="text" :title="TEXTS[c]?.()">{{ TEXTS[c]?.() }}</span>
    </template>
    <button
      class="tiny"
      :aria-pressed="desk.muted"
      :title="`mute ${lane.name}`"
      data-test="mute"
      @click="emit('desk', { muted: !desk.muted })"
    >
      mute
    </button>
    <button
      class="tiny"
      :aria-pressed="desk.soloed"
      :title="`solo ${lane.name}`"
      data-test="solo"
      @click="emit('desk', { soloed: !desk.soloed })"
    >
      solo
    </button>
    <button class="plain dots" :title="`more for ${lane.name}`" data-test="lane-menu" @click="emit('menu', $event)">…</button>
    <i class="edge" title="drag: height of this lane" data-test="lane-edge" @pointerdown="emit('resize', $event)" />
  </div>
</template>

<style scoped>
button:has(> small) {
  padding-block: 0;
  line-height: 13px;
}
small {
  display: block;
  font-size: 10px;
  line-height: 10px;
  color: var(--soft);
}
</style>
