<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, useTemplateRef } from 'vue'
import type { Schemas } from '../../api/client'
import { distance } from '../../shared/units'
import { barOf, labelsOf, nextPoint, scaleOf, sounding, textsOn, type Point } from './stage'

const props = defineProps<{ points: Point[]; stage: Schemas['Stage']; lead: { from: string; to: string; text: string } | null }>()
const picked = defineModel<string>('picked', { required: true })
/** What the pointer or the focus is on. */
const pointed = defineModel<string>('pointed', { required: true })

const box = useTemplateRef<HTMLElement>('box')
const size = ref({ width: 640, height: 420 })
let observer: ResizeObserver | null = null
onMounted(() => {
  observer = new ResizeObserver(([e]) => e && (size.value = { width: e.contentRect.width, height: e.contentRect.height }))
  if (box.value) observer.observe(box.value)
})
onBeforeUnmount(() => observer?.disconnect())

const scale = computed(() => scaleOf(props.points, size.value.width, size.value.height, 46))
const labels = computed(() => labelsOf(props.points, scale.value, size.value.width, size.value.height))
const bar = computed(() => barOf(scale.value.perM, 130))
const at = (p: Point) => ({ x: scale.value.x(p.at.right_m), y: scale.value.y(p.at.front_m) })
const find = (key: string) => props.points.find((p) => p.key === key)

/** Lines with distances from what is pointed at: to all sources from a microphone, to all microphones from a source. */
const shown = computed(() => find(pointed.value) ?? find(picked.value) ?? null)
const MOST_LABELLED = 5
const lines = computed(() => {
  const from = shown.value
  if (!from) return []
  const others = props.points.filter((p) => (p.what === 'source') !== (from.what === 'source'))
  const all = others.map((p) => ({ key: p.key, from: at(from), to: at(p), ...sounding(from.at, p.at) }))
  const far = [...all].sort((a, b) => a.metres - b.metres)[MOST_LABELLED - 1]?.metres ?? Infinity
  const told = all.map((l) => ({ ...l, text: l.metres <= far ? distance(l.metres) : '' }))
  // The text of the chosen cell's line takes its place first.
  const before = way.value ? [way.value] : []
  const places = textsOn([...before, ...told], props.points, labels.value, scale.value)
  return told.map((l, i) => ({ ...l, place: places[i + before.length] }))
})
const way = computed(() => {
  const [a, b] = [find(props.lead?.from ?? ''), find(props.lead?.to ?? '')]
  return a && b ? { from: at(a), to: at(b), text: props.lead!.text } : null
})
const lead = computed(() => {
  if (!way.value) return null
  const { from, to } = way.value
  const free = textsOn([way.value], props.points, labels.value, scale.value)[0]
  return { ...way.value, ...(free ?? { x: from.x + 0.8 * (to.x - from.x), y: from.y + 0.8 * (to.y - from.y) }) }
})

function side(m: number, one: string, other: string): string {
  return Math.abs(m) < 0.05 ? '' : `${distance(Math.abs(m))} ${m > 0 ? one : other}`
}

function told(p: Point): string {
  const where = [side(p.at.right_m, 'right', 'left'), side(p.at.front_m, 'to the front', 'to the back')].filter((t) => t !== '').join(', ')
  const what = { source: 'source', near: 'microphone at a source', far: 'far microphone' }[p.what]
  return `${p.name}, ${what}: ${where || 'in the middle'}, ± ${distance(p.at.ellipse_m[0]!)}${p.typed ? ', measured by hand' : ''}`
}

function key(e: KeyboardEvent, p: Point): void {
  const way = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key]
  if (e.key === 'Enter' || e.key === ' ') picked.value = picked.value === p.key ? '' : p.key
  else if (!way) return
  const next = way && nextPoint(props.points, p, way[0]!, way[1]!)
  e.preventDefault()
  e.stopPropagation()
  if (next) box.value?.querySelector<SVGElement>(`[data-point="${CSS.escape(next.key)}"]`)?.focus()
}

const mirrored = computed(() => {
  const [sides, front] = [props.stage.sides_by === 'nothing', props.stage.front_by === 'nothing']
  if (sides && front) return 'No side is known: left and right, front and back may be exchanged.'
  if (sides) return 'No side is known: left and right may be exchanged.'
  if (front) return 'Nothing tells front from back: they may be exchanged.'
  return ''
})
</script>

<template>
  <div ref="box" class="stage" data-test="stage-chart">
    <svg :width="size.width" :height="size.height" role="group" aria-label="The stage from above, the audience below">
      <g class="scalebar" aria-hidden="true">
        <path :d="`M14 ${size.height - 18}v6h${bar * scale.perM}v-6`" />
        <text :x="14 + (bar * scale.perM) / 2" :y="size.height - 16" text-anchor="middle">{{ distance(bar) }}</text>
      </g>
      <text class="audience" :x="size.width / 2" :y="size.height - 7" text-anchor="middle">audience</text>
      <text v-if="mirrored" class="mirrored" :x="size.width - 8" y="16" text-anchor="end" data-test="mirrored">{{ mirrored }}</text>
      <g v-for="p in points" :key="`e${p.key}`" aria-hidden="true">
        <ellipse
          class="sure"
          :rx="Math.max(1, 2 * p.at.ellipse_m[0]! * scale.perM)"
          :ry="Math.max(1, 2 * p.at.ellipse_m[1]! * scale.perM)"
          :transform="`translate(${at(p).x} ${at(p).y}) rotate(${(p.at.turn_rad * 180) / Math.PI})`"
        />
      </g>
      <g v-if="shown" class="soundings" aria-hidden="true" data-test="soundings">
        <g v-for="l in lines" :key="l.key">
          <line :x1="l.from.x" :y1="l.from.y" :x2="l.to.x" :y2="l.to.y" />
          <text v-if="l.place" :x="l.place.x" :y="l.place.y" dominant-baseline="central" text-anchor="middle">{{ l.text }}</text>
        </g>
      </g>
      <line v-if="lead" class="way" :x1="lead.from.x" :y1="lead.from.y" :x2="lead.to.x" :y2="lead.to.y" aria-hidden="true" />
      <g
        v-for="(p, i) in points"
        :key="p.key"
        :class="['point', p.what, { picked: p.key === picked }]"
        :data-point="p.key"
        :data-right="p.at.right_m.toFixed(2)"
        :data-front="p.at.front_m.toFixed(2)"
        tabindex="0"
        role="button"
        :aria-pressed="p.key === picked"
        :aria-label="told(p)"
        @click="picked = picked === p.key ? '' : p.key"
        @mouseenter="pointed = p.key"
        @mouseleave="pointed = ''"
        @focus="pointed = p.key"
        @blur="pointed = ''"
        @keydown="key($event, p)"
      >
        <title>{{ told(p) }}</title>
        <circle class="reach" :cx="at(p).x" :cy="at(p).y" r="11" />
        <circle v-if="p.what === 'source'" :cx="at(p).x" :cy="at(p).y" r="5" />
        <circle v-else-if="p.what === 'near'" :cx="at(p).x" :cy="at(p).y" r="3.5" />
        <rect v-else :x="at(p).x - 3.5" :y="at(p).y - 3.5" width="7" height="7" />
        <path v-if="p.typed" class="fixed" :d="`M${at(p).x - 8} ${at(p).y}h16M${at(p).x} ${at(p).y - 8}v16`" />
        <line v-if="labels[i]!.far" class="leader" :x1="at(p).x" :y1="at(p).y" :x2="labels[i]!.x" :y2="labels[i]!.y" />
        <text :x="labels[i]!.x" :y="labels[i]!.y" dominant-baseline="central" :text-anchor="labels[i]!.anchor">{{ p.name }}</text>
      </g>
      <text v-if="lead" class="way" :x="lead.x" :y="lead.y" text-anchor="middle" data-test="lead-line">{{ lead.text }}</text>
    </svg>
  </div>
</template>

<style scoped>
.stage {
  background: var(--panel);
  border: 1px solid var(--line);
  min-height: 240px;
  min-width: 0;
  overflow: hidden;
}
svg {
  display: block;
}
text {
  font: 12px var(--sans);
  fill: var(--ink);
}
.scalebar path {
  fill: none;
  stroke: var(--ink);
}
.scalebar text,
.soundings text,
text.way {
  font: 11px var(--mono);
}
.audience {
  fill: var(--soft);
  letter-spacing: 0.2em;
}
.mirrored {
  fill: var(--caution);
}
.sure {
  fill: color-mix(in srgb, var(--shoal) 55%, transparent);
  stroke: color-mix(in srgb, var(--depth) 45%, var(--shoal));
}
.soundings line {
  stroke: var(--soft);
  stroke-dasharray: 2 3;
}
.soundings text,
text.way,
.point text {
  paint-order: stroke;
  stroke: var(--panel);
  stroke-width: 3px;
}
line.way {
  stroke: var(--depth);
  stroke-width: 2.2;
}
text.way {
  fill: var(--depth);
  font-weight: 600;
}
.point {
  cursor: pointer;
  outline: none;
}
.point .reach {
  fill: transparent;
  stroke: none;
}
.point circle,
.point rect {
  fill: var(--panel);
  stroke: var(--ink);
  stroke-width: 1.5;
}
.point.source circle:not(.reach) {
  fill: var(--depth);
  stroke: var(--depth);
}
.point.source text {
  font-weight: 600;
}
.point.near text {
  font-size: 11px;
}
.point .fixed,
.leader {
  fill: none;
  stroke: var(--ink);
}
.leader {
  stroke: var(--line);
}
.point:focus-visible .reach,
.point.picked .reach {
  stroke: var(--depth);
  stroke-width: 2;
}
.point:hover text {
  text-decoration: underline;
}
</style>
