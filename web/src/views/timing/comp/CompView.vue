<script setup lang="ts">
import { computed, ref } from 'vue'
import { ask, client } from '../../../api/client'
import LanesFold from '../../../lanes/LanesFold.vue'
import { useSurface } from '../../../plot/surface'
import { useSession } from '../../../session/store'
import { useKeys } from '../../../shared/keys'
import { tellTrouble } from '../../../shared/notice'
import { palette } from '../../../shared/theme'
import { clock } from '../../../shared/units'
import { useTaking } from '../asked'
import SeveralTracks from '../SeveralTracks.vue'
import TimingPage from '../TimingPage.vue'
import { heardParts, SHORTEST_S, withPart, withTakes, type Plan } from './parts'
import { frameAt, paintStrip, ROW, rowAt } from './strip'

const store = useSession()
const known = (id: string) => store.track(id) !== undefined
/** The plan is the session's: another window sees it too, and may change it. */
const draft = computed<Plan>(() => {
  const kept = store.desk.state.plans.comp
  return kept ? withTakes(kept, kept.takes.filter(known)) : { takes: [], parts: [] }
})
const change = (plan: Plan) => store.desk.change({ comp: plan })
const takes = computed(() => draft.value.takes)
const names = computed(() => takes.value.map((id) => store.track(id)?.name ?? ''))
const span = computed<[number, number]>(() => {
  const own = takes.value.map((id) => store.track(id)!)
  const from = Math.min(...own.map((t) => t.start_frame))
  return [from, Math.max(from + store.rateHz, ...own.map((t) => t.start_frame + t.frames))]
})
const heard = computed(() => (takes.value.length > 0 ? heardParts(draft.value, span.value) : []))

/** By hand: a range is dragged on the row of the take that is heard in it. */
const dragged = ref<{ row: number; from: number; to: number } | null>(null)
const row = ref(0)
const { canvas } = useSurface(
  'canvas',
  (s) =>
    paintStrip(s, palette(), {
      names: names.value,
      takes: takes.value,
      heard: heard.value,
      span: span.value,
      rateHz: store.rateHz,
      cursor: store.heard.frame,
      dragged: dragged.value,
      row: row.value,
    }),
  [takes, heard, span, dragged, row, () => store.heard.frame],
)
const at = (e: PointerEvent) => frameAt(e.offsetX, canvas.value?.clientWidth ?? 1, span.value)
function down(e: PointerEvent): void {
  const n = rowAt(e.offsetY)
  if (n < 0 || n >= takes.value.length) return
  row.value = n
  dragged.value = { row: n, from: at(e), to: at(e) }
  canvas.value?.setPointerCapture(e.pointerId)
}
function moveOn(e: PointerEvent): void {
  if (dragged.value) dragged.value = { ...dragged.value, to: at(e) }
}
function up(): void {
  const d = dragged.value
  dragged.value = null
  if (!d) return
  const range = [Math.round(Math.min(d.from, d.to)), Math.round(Math.max(d.from, d.to))] as const
  if (range[1] - range[0] >= SHORTEST_S * store.rateHz) change(withPart(draft.value, range, takes.value[d.row]!))
  else store.transport?.seek(d.from)
}

const loop = computed(() => store.desk.state.range ?? null)
/** The loop goes to a take: with the keyboard, the one whose row is chosen. */
function give(take: string | undefined): void {
  if (!loop.value) return tellTrouble('Mark a part with the loop first: , begins it where the sound stands, . ends it.')
  if (take) change(withPart(draft.value, [loop.value.from, loop.value.to], take))
}
function onKey(e: KeyboardEvent): void {
  const by = { ArrowUp: -1, ArrowDown: 1 }[e.key]
  if (!by && e.key !== 'Enter') return
  e.preventDefault()
  e.stopPropagation()
  if (by) row.value = Math.max(0, Math.min(takes.value.length - 1, row.value + by))
  else give(takes.value[row.value])
}

const { take, busy } = useTaking((plan: Plan) =>
  ask(client.POST('/api/sessions/{session}/comp', { params: { path: { session: store.id } }, body: plan })),
)
const together = () => void take(draft.value)
const apart = () => void take({ ...draft.value, parts: [] })
const any = computed(() => takes.value.length > 1 && (draft.value.parts ?? []).length > 0)
const silenced = computed(() => takes.value.some((id) => store.track(id)?.stretches.some((s) => s.besides.gain_db <= -100)))

useKeys('Comp', [
  { key: 'x', label: 'The loop goes to the take whose row is chosen', run: () => give(takes.value[row.value]) },
  { key: 't', label: 'Next take', run: () => (row.value = (row.value + 1) % Math.max(1, takes.value.length)) },
  { key: 'Enter', label: 'Put the parts together', run: () => any.value && together() },
])
</script>

<template>
  <TimingPage title="Comp" :least="2">
    <template #pickers>
      <label for="takes">takes of one part</label>
      <SeveralTracks
        id="takes"
        :model-value="takes"
        class="several"
        placeholder="the first is heard where none is chosen"
        data-test="takes"
        @update:model-value="(ids: string[]) => change(withTakes(draft, ids))"
      />
      <template v-if="takes.length > 1">
        <el-button type="primary" size="small" title="Enter" :disabled="busy || !any" data-test="put-together" @click="together"
          >Put the parts together</el-button
        >
        <el-button v-if="silenced" size="small" :disabled="busy" data-test="all-heard" @click="apart">All heard everywhere</el-button>
      </template>
    </template>
    <LanesFold />
    <template v-if="takes.length > 1">
      <div class="plot-card">
        <header>
          <h2>Who is heard when</h2>
          <span class="soft">Drag along the row of a take, or mark a part with the loop and choose a row: ↑ ↓ and Enter.</span>
        </header>
        <canvas
          ref="canvas"
          tabindex="0"
          role="listbox"
          aria-label="Takes: up and down choose one, Enter gives it the loop"
          :style="{ height: `${ROW * takes.length + 44}px` }"
          data-test="strip"
          @pointerdown="down"
          @pointermove="moveOn"
          @pointerup="up"
          @keydown="onKey"
        >
          <span v-for="(name, n) in names" :key="takes[n]" role="option" :aria-selected="n === row">{{ name }}</span>
        </canvas>
      </div>
      <div class="loop" role="group" aria-label="The loop goes to">
        <span class="soft">{{
          loop ? `The loop, ${clock(loop.from, store.rateHz)} to ${clock(loop.to, store.rateHz)}, goes to` : 'No loop is marked'
        }}</span>
        <button v-for="(name, n) in names" :key="takes[n]" class="do" :disabled="!loop" :data-test="`give-${n}`" @click="give(takes[n])">
          {{ name }}
        </button>
      </div>
      <p class="soft">Takes meet with fades of 5 ms; what is not heard stays at hand, and comes back with every change.</p>
      <ol class="list" data-test="parts">
        <li v-for="h in heard" :key="h.from">
          <button class="plain mono" @click="store.transport?.seek(Math.max(0, h.from - store.rateHz / 2))">
            {{ clock(h.from, store.rateHz) }}
          </button>
          {{ store.track(h.take)?.name }}
        </li>
      </ol>
    </template>
    <p v-else class="soft intro">
      Three takes and more of one part: of each the best part is heard, the rest stays at hand. Bring them together in time first, two by
      two, under Takes.
    </p>
  </TimingPage>
</template>

<style scoped>
.several {
  width: 280px;
}
.plot-card {
  flex: none;
}
canvas {
  flex: none;
  cursor: crosshair;
  touch-action: none;
}
.loop {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 10px;
}
.list {
  margin: 0;
  padding: 0 0 0 22px;
  overflow: auto;
  columns: 220px;
  font-size: 13px;
}
p {
  margin: 0;
}
</style>
