<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import type { Group } from '../session/deskRules'
import { moved, ordered } from '../session/deskRules'
import { useSession } from '../session/store'
import { tellTrouble } from '../shared/notice'
import { gridOf } from './columns'
import GroupHead from './GroupHead.vue'
import LaneHead from './LaneHead.vue'
import LaneSea from './LaneSea.vue'
import type { Picture } from './paint'
import { RULER, type Ruler } from './ruler'
import { dropBefore, heightOf, type StackRow } from './rows'
import { fitted } from './scale'
import type { LaneStroke } from './strokes'
import { useLaneActions } from './useLaneActions'
import type { PathFacts } from './usePathFacts'

const props = defineProps<{
  rows: readonly StackRow[]
  hits: readonly number[]
  strokes: readonly LaneStroke[]
  way: Picture['way']
  picked: ReadonlySet<string>
  facts: PathFacts
  usual: number
}>()
const emit = defineEmits<{ select: [id: string]; pick: [id: string]; editGroup: [group: Group]; menu: [id: string, e: MouseEvent] }>()

const store = useSession()
const actions = useLaneActions()
const box = ref<HTMLElement | null>(null)
const high = ref(0)
const scroll = ref(0)
const under = ref('')
const columns = computed(() => store.desk.state.columns)
const grid = computed(() => gridOf(columns.value))
const total = computed(() => RULER + heightOf(props.rows))
const sea = computed(() => Math.max(Math.min(total.value, high.value), 40))
const marks = computed(() => ({ markers: store.desk.state.markers, loop: store.desk.state.range ?? null }))
const ruler = computed(() => (store.desk.state.ruler || 'clock') as Ruler)

let observer: ResizeObserver | null = null
onMounted(() => {
  observer = new ResizeObserver(() => (high.value = box.value?.clientHeight ?? 0))
  if (box.value) observer.observe(box.value)
})
onBeforeUnmount(() => observer?.disconnect())
watch(total, () => (scroll.value = box.value?.scrollTop ?? 0), { flush: 'post' })

/** A pair that was just chosen comes into sight; what is in sight already stays where it is. */
async function show(ids: readonly string[]): Promise<void> {
  await nextTick()
  const wanted = props.rows.filter((r) => r.kind === 'lane' && ids.includes(r.id))
  const [top, bottom] = [Math.min(...wanted.map((r) => r.top)), Math.max(...wanted.map((r) => r.top + r.height))]
  const room = (box.value?.clientHeight ?? 0) - RULER
  if (!box.value || wanted.length === 0 || (top >= box.value.scrollTop && bottom <= box.value.scrollTop + room)) return
  box.value.scrollTop = bottom - top > room || top < box.value.scrollTop ? top : bottom - room
}
watch(() => [store.pair.a, store.pair.b], show)
onMounted(() => show([store.pair.a, store.pair.b]))

/** A lane that is dragged up or down: where it would go is a line; let go, it goes there. */
const dragged = ref<{ id: string; y: number } | null>(null)
const line = computed(() => {
  if (!dragged.value) return null
  const before = dropBefore(props.rows, dragged.value.y)
  return RULER + (before === null ? heightOf(props.rows) : (props.rows.find((r) => r.id === before)?.top ?? 0))
})

function follow(move: (e: PointerEvent) => void, up: () => void): void {
  const end = () => {
    window.removeEventListener('pointermove', move)
    up()
  }
  window.addEventListener('pointermove', move)
  window.addEventListener('pointerup', end, { once: true })
}

const yOf = (e: PointerEvent) => e.clientY - (box.value?.getBoundingClientRect().top ?? 0) + scroll.value - RULER

function grab(id: string, e: PointerEvent): void {
  e.preventDefault()
  const began = e.clientY
  follow(
    (m) => {
      if (dragged.value || Math.abs(m.clientY - began) > 3) dragged.value = { id, y: yOf(m) }
    },
    () => {
      if (dragged.value) drop(id, dropBefore(props.rows, dragged.value.y))
      dragged.value = null
    },
  )
}

/** Dropped among the members of a group it becomes one; dropped elsewhere it leaves its own. */
function drop(id: string, before: string | null): void {
  if (before === id) return
  const ids = ordered(store.desk.state, store.tracks).map((t) => t.id)
  const [from, to] = [store.desk.group(id), before === null ? null : store.desk.group(before)]
  const name = store.track(id)?.name ?? ''
  store.desk.change({ order: moved(ids, id, before) }, `${name} moved among the lanes`)
  if (from?.id === to?.id) return
  if (to) store.desk.putGroup({ ...to, tracks: [...to.tracks, id] })
  else if (from) store.desk.putGroup({ ...from, tracks: from.tracks.filter((t) => t !== id) })
}

function shift(id: string, by: -1 | 1): void {
  const lanes = props.rows.filter((r) => r.kind === 'lane')
  const at = lanes.findIndex((r) => r.id === id)
  const before = by < 0 ? lanes[at - 1]?.id : (lanes[at + 2]?.id ?? null)
  if (before === undefined || at + by < 0 || at + by >= lanes.length) return
  drop(id, before)
  // The row was taken out of the page and put back: the focus goes with it.
  void nextTick(() => box.value?.querySelector<HTMLElement>(`[data-id="${id}"] .grip`)?.focus())
}

function resize(id: string, height: number, e: PointerEvent): void {
  e.preventDefault()
  const began = e.clientY
  follow(
    (m) => {
      const wanted = Math.min(Math.max((height + m.clientY - began) / props.usual, 0.4), 6)
      store.desk.preview({ lanes: { [id]: { ...store.desk.lane(id), height: wanted } } })
    },
    () => store.desk.setLane(id, { height: store.desk.lane(id).height }, `Height of ${store.track(id)?.name ?? 'a lane'}`),
  )
}

function setLoop(from: number, to: number): void {
  const was = store.desk.state.range
  if (to - from < store.rateHz / 50) tellTrouble('A loop lasts 20 ms at least: drag further, or zoom out first.')
  else store.desk.setRange({ from, to, on: true, pre_roll_s: was?.pre_roll_s ?? 0 })
}
</script>

<template>
  <div ref="box" class="stack" :style="{ maxHeight: `${total + 2}px` }" @scroll="scroll = box?.scrollTop ?? 0">
    <div class="columns" :style="{ width: `${grid.width}px`, height: `${total}px`, '--lane-grid': grid.template }">
      <div class="head" :style="{ height: `${RULER}px` }">
        <span />
        <span class="mono under">{{ under || 'Track' }}</span><span class="number">Offset</span><span title="Polarity">Pol.</span>
        <slot name="titles" />
      </div>
      <template v-for="row in rows" :key="row.kind + row.id">
        <GroupHead
          v-if="row.kind === 'group'"
          :style="{ height: `${row.height}px` }"
          :group="row.group"
          :count="row.tracks.length"
          @set="store.desk.setGroup(row.id, $event)"
          @move="actions.moveGroup(row.group, $event)"
          @flip="actions.flipGroup(row.group)"
          @edit="emit('editGroup', row.group)"
        />
        <LaneHead
          v-else-if="row.kind === 'lane'"
          :style="{ height: `${row.height}px` }"
          :lane="row.lane"
          :track="row.track"
          :desk="store.desk.lane(row.id)"
          :group="row.group"
          :columns="columns"
          :unit="store.unit"
          :measure="store.measure"
          :policy="facts.policy(row.track)"
          :latency="facts.latency(row.track)"
          :selected="row.id === store.pair.a || row.id === store.pair.b"
          :picked="picked.has(row.id)"
          @select="emit('select', row.id)"
          @pick="emit('pick', row.id)"
          @offset="actions.place(row.id, $event)"
          @gain="actions.gain(row.id, $event)"
          @flip="actions.flip(row.id)"
          @desk="store.desk.setLane(row.id, $event)"
          @menu="emit('menu', row.id, $event)"
          @grab="grab(row.id, $event)"
          @shift="shift(row.id, $event)"
          @resize="resize(row.id, row.height, $event)"
        />
        <div v-else class="overlay" :style="{ height: `${row.height}px` }" data-test="overlay-head">
          <b>Overlay</b>
          <span class="a">{{ row.a.name }}</span>
          <span class="b">{{ row.b.name }}</span>
          <span v-if="way !== 'both'">{{ way }}{{ store.viewport.framesPerPx > 4096 ? ': come closer to see it' : '' }}</span>
        </div>
      </template>
      <i v-if="line !== null" class="line" :style="{ top: `${line}px` }" />
    </div>
    <LaneSea
      :style="{ height: `${sea}px` }"
      :session="store.id"
      :rows="rows"
      :scroll="scroll"
      :viewport="store.viewport"
      :cursor="store.heard.frame"
      :hits="hits"
      :strokes="strokes"
      :measure="store.measure"
      :ruler="ruler"
      :marks="marks"
      :way="way"
      :fitted="fitted"
      @seek="store.transport?.seek($event)"
      @loop="setLoop"
      @scroll="box?.scrollBy(0, $event)"
      @under="under = $event"
    />
  </div>
</template>

<style src="./stack.css"></style>
