<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, onMounted, ref, useTemplateRef } from 'vue'
import type { Unit } from '../../shared/units'
import { beside, layout } from './layout'
import { short, shortUnit, type PathMap, type Spot } from './map'
import type { PathsView } from './usePaths'

const props = defineProps<{ view: PathsView; map: PathMap; unit: Unit }>()
const picked = defineModel<Spot | null>('picked', { required: true })
const emit = defineEmits<{ connect: [from: string, to: string] }>()

const box = useTemplateRef<HTMLElement>('box')
const svg = useTemplateRef<SVGSVGElement>('svg')
const room = ref(0)
let observer: ResizeObserver | null = null
onMounted(() => {
  observer = new ResizeObserver(([e]) => e && (room.value = e.contentRect.width))
  if (box.value) observer.observe(box.value)
})
onBeforeUnmount(() => observer?.disconnect())

const at = computed(() => layout(props.view, room.value))
const rate = computed(() => props.map.sample_rate_hz)
const text = (frames: number) => short(frames, props.unit, rate.value)
const told = (frames: number) => `${text(frames)} ${shortUnit(props.unit)}`
const met = (node: number) => props.view.meetings.find((m) => m.node === node)
const stage = (node: number, k: number) => props.map.nodes[node]?.stages?.[k]
const costs = (node: number, k: number) => props.view.offender?.node === node && props.view.offender.stage === k
const isPicked = (id: string, k: number | null) => picked.value?.node === id && picked.value.stage === k

/** From input to behind its stages. */
function arrives(node: number): string {
  const n = props.view.nodes[node]!
  const last = n.last_frames ?? null
  if (last === null || last === 0) return n.kind === 'track' ? '' : last === 0 ? 'at once' : 'nothing comes'
  const first = n.first_frames ?? 0
  return first === last ? `at ${told(first)}` : `at ${text(first)} to ${told(last)}`
}

/** What stands under a node's line: when sound is there; at an output with its own stages. */
function under(node: number): string {
  const n = props.view.nodes[node]!
  if (n.stages_frames.length > 0 && n.kind !== 'output') return ''
  return n.kind === 'output' ? told((n.last_frames ?? 0) + n.own_frames) : arrives(node)
}

function nodeTold(node: number): string {
  const n = props.view.nodes[node]!
  const own = n.own_frames > 0 ? `, its stages ${told(n.own_frames)}` : ''
  const unequal = met(node) ? `, copies ${told(met(node)!.apart_frames)} apart` : ''
  return `${n.id} ${under(node)}, ${n.kind}${arrives(node) ? `, arrives ${arrives(node)}` : ''}${own}${unequal}`
}

function stageTold(node: number, k: number): string {
  const s = stage(node, k)
  const frames = props.view.nodes[node]!.stages_frames[k] ?? 0
  const state = s?.on === false ? (s.late_when_off ? ', off and late all the same' : ', off') : ''
  return `${s?.name || `stage ${k + 1}`} of ${props.view.nodes[node]!.id}: ${told(frames)}${state}${costs(node, k) ? ', costs most' : ''}`
}

function focus(node: number, k: number | null): void {
  const id = props.view.nodes[node]?.id
  if (id === undefined) return
  picked.value = { node: id, stage: k }
  void nextTick(() => box.value?.querySelector<SVGElement>(`[data-spot="${node}/${k ?? ''}"]`)?.focus())
}

function key(e: KeyboardEvent, node: number, k: number | null): void {
  const ways = { ArrowLeft: 'left', ArrowRight: 'right', ArrowUp: 'up', ArrowDown: 'down' } as const
  const way = ways[e.key as keyof typeof ways]
  if (e.key === 'Enter' || e.key === ' ') picked.value = { node: props.view.nodes[node]!.id, stage: k }
  else if (!way) return
  e.preventDefault()
  e.stopPropagation()
  if (!way) return
  const stages = props.view.nodes[node]!.stages_frames.length
  // Along a node its stages come first.
  if (way === 'right' && (k ?? -1) + 1 < stages) return focus(node, (k ?? -1) + 1)
  if (way === 'left' && k !== null) return focus(node, k > 0 ? k - 1 : null)
  const next = beside(props.view, at.value, node, way)
  if (next !== null) focus(next, null)
}

/** A connection that is being drawn with the pointer. */
const drawn = ref<{ from: number; x: number; y: number; to: number | null } | null>(null)

function place(e: PointerEvent): { x: number; y: number } {
  const r = svg.value!.getBoundingClientRect()
  return { x: e.clientX - r.left, y: e.clientY - r.top }
}

function begin(e: PointerEvent, from: number): void {
  if (props.view.nodes[from]!.kind === 'output') return
  ;(e.target as Element).setPointerCapture(e.pointerId)
  drawn.value = { from, ...place(e), to: null }
}

function move(e: PointerEvent): void {
  if (!drawn.value) return
  const p = place(e)
  const over = at.value.nodes.findIndex((n, i) => i !== drawn.value!.from && p.x > n.x - 40 && p.x < n.end && Math.abs(p.y - n.y) < 20)
  drawn.value = { ...drawn.value, ...p, to: over < 0 ? null : over }
}

function end(): void {
  const d = drawn.value
  drawn.value = null
  if (d && d.to !== null) emit('connect', props.view.nodes[d.from]!.id, props.view.nodes[d.to]!.id)
}
</script>

<template>
  <div ref="box" class="currents" data-test="path-map">
    <svg
      ref="svg"
      :width="at.width"
      :height="at.height"
      role="group"
      aria-label="Signal paths, from left to right"
      @pointermove="move"
      @pointerup="end"
    >
      <g aria-hidden="true">
        <path v-for="(e, i) in at.edges" :key="i" :class="['stream', view.edges[i]!.tap, { late: e.late }]" :d="e.path" />
      </g>
      <path
        v-if="drawn"
        class="stream drawing"
        :d="`M${at.nodes[drawn.from]!.end} ${at.nodes[drawn.from]!.y}L${drawn.x} ${drawn.y}`"
        aria-hidden="true"
      />
      <g v-for="(n, i) in at.nodes" :key="view.nodes[i]!.id">
        <g
          :class="['node', view.nodes[i]!.kind, { picked: isPicked(view.nodes[i]!.id, null), over: drawn?.to === i }]"
          :data-spot="`${i}/`"
          :data-node="view.nodes[i]!.id"
          tabindex="0"
          role="button"
          :aria-pressed="isPicked(view.nodes[i]!.id, null)"
          :aria-label="nodeTold(i)"
          @click="picked = { node: view.nodes[i]!.id, stage: null }"
          @keydown="key($event, i, null)"
        >
          <title>{{ nodeTold(i) }}</title>
          <rect class="reach" :x="n.x" :y="n.y - 23" :width="n.end - n.x" height="42" />
          <path class="bed" :d="`M${n.x} ${n.y}H${n.end}`" />
          <path v-if="view.nodes[i]!.kind === 'track'" class="end" :d="`M${n.x} ${n.y - 5}v10`" />
          <path v-if="view.nodes[i]!.kind === 'output'" class="end" :d="`M${n.end - 7} ${n.y - 6}l7 6l-7 6`" />
          <text class="name" :x="n.x + 4" :y="n.y - 9">{{ view.nodes[i]!.id }}</text>
          <text v-if="under(i)" class="at" :x="n.x + 4" :y="n.y + 15">{{ ' ' + under(i) }}</text>
        </g>
        <g v-if="n.step > 0" class="step" aria-hidden="true" data-test="step">
          <path :d="`M${n.x} ${n.y - n.step / 2}v${n.step}`" />
          <text :x="n.x - 6" :y="n.y + n.step / 2 + 13" text-anchor="end">{{ told(met(i)!.apart_frames) }} apart</text>
        </g>
        <g
          v-for="(sx, k) in n.stages"
          :key="k"
          :class="[
            'lock',
            {
              off: stage(i, k)?.on === false,
              stays: stage(i, k)?.late_when_off,
              most: costs(i, k),
              picked: isPicked(view.nodes[i]!.id, k),
            },
          ]"
          :data-spot="`${i}/${k}`"
          :data-stage="`${view.nodes[i]!.id}/${k}`"
          tabindex="0"
          role="button"
          :aria-pressed="isPicked(view.nodes[i]!.id, k)"
          :aria-label="stageTold(i, k)"
          @click.stop="picked = { node: view.nodes[i]!.id, stage: k }"
          @keydown="key($event, i, k)"
        >
          <title>{{ stageTold(i, k) }}</title>
          <rect class="reach" :x="sx - 20" :y="n.y - 8" width="40" height="27" />
          <path
            class="gates"
            :d="stage(i, k)?.on === false ? `M${sx - 5} ${n.y - 7}h10M${sx - 5} ${n.y + 7}h10` : `M${sx - 4} ${n.y - 7}l7 7l-7 7`"
          />
          <text class="delay" :x="sx" :y="n.y + 18" text-anchor="middle">{{ text(view.nodes[i]!.stages_frames[k] ?? 0) }}</text>
        </g>
        <circle
          v-if="view.nodes[i]!.kind !== 'output'"
          class="grip"
          :cx="n.end"
          :cy="n.y"
          r="5"
          :data-grip="view.nodes[i]!.id"
          aria-hidden="true"
          @pointerdown.stop.prevent="begin($event, i)"
        >
          <title>Drag to what it feeds</title>
        </circle>
      </g>
    </svg>
  </div>
</template>

<style scoped>
.currents {
  background: var(--panel);
  border: 1px solid var(--line);
  min-height: 0;
  min-width: 0;
  overflow: auto;
}
svg {
  display: block;
  touch-action: none;
}
text {
  font: 13px var(--sans);
  fill: var(--ink);
}
.stream {
  fill: none;
  stroke: color-mix(in srgb, var(--depth) 60%, var(--panel));
  stroke-width: 2;
}
.stream.before {
  stroke-dasharray: 5 4;
}
.stream.late {
  stroke: var(--depth);
  stroke-width: 3;
}
.stream.drawing {
  stroke: var(--ink);
  stroke-dasharray: 3 3;
}
.node,
.lock {
  cursor: pointer;
  outline: none;
}
.reach {
  fill: transparent;
  stroke: none;
}
.bed {
  stroke: var(--depth);
  stroke-width: 3;
}
.track .bed {
  stroke: var(--ink);
}
.return .bed {
  stroke-dasharray: 9 3;
}
.end {
  fill: none;
  stroke: var(--ink);
  stroke-width: 2;
}
.name {
  font-weight: 600;
}
.at,
.delay,
.step text {
  font: 11px var(--mono);
  fill: var(--soft);
}
.output .at {
  fill: var(--ink);
  font-weight: 600;
}
.gates {
  fill: none;
  stroke: var(--ink);
  stroke-width: 2;
}
.delay {
  fill: var(--ink);
}
.lock.off .gates,
.lock.off .delay {
  opacity: 0.55;
}
.lock.off .delay {
  text-decoration: line-through;
}
.lock.off.stays .delay {
  text-decoration: none;
}
.lock.most .gates {
  stroke-width: 5;
}
.lock.most .delay {
  font-weight: 700;
  font-size: 12.5px;
}
.step path {
  stroke: var(--caution);
  stroke-width: 3;
}
.step text {
  fill: var(--caution);
  paint-order: stroke;
  stroke: var(--panel);
  stroke-width: 3px;
}
.node:focus-visible > .reach,
.node.picked > .reach,
.node.over > .reach,
.lock:focus-visible .reach,
.lock.picked .reach {
  fill: color-mix(in srgb, var(--shoal) 55%, transparent);
  stroke: var(--depth);
}
.lock:focus-visible .reach,
.node:focus-visible > .reach {
  stroke-width: 2;
}
.grip {
  fill: var(--panel);
  stroke: var(--depth);
  stroke-width: 1.5;
  cursor: crosshair;
}
.grip:hover {
  fill: var(--depth);
}
</style>
