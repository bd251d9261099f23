<script setup lang="ts">
import { computed, shallowRef, watch } from 'vue'
import type { ImageView } from '../../api/client'
import { energyVector, GATE_DB, opposedFor } from '../../plot/around'
import { paintFold } from '../../plot/fold'
import { paintSurround } from '../../plot/surround'
import { useSurface } from '../../plot/surface'
import { useSession } from '../../session/store'
import { palette } from '../../shared/theme'
import { dbfs, fixed } from '../../shared/units'

/** More than two channels: how every two stand, how loud from where, and what fold-downs keep. */
const props = defineProps<{ view: ImageView; names: readonly string[]; channels: readonly string[] }>()

const store = useSession()
/** Levels of what sounds, by track; null while nothing does. */
const now = shallowRef<ReadonlyMap<string, number> | null>(null)
watch(
  () => [store.heard.frame, store.heard.corrected, store.heard.playing] as const,
  () => {
    const block = store.heard.playing ? store.transport?.heard() : undefined
    if (block) now.value = store.heard.corrected ? block.levels.corrected : block.levels.recorded
    else if (!store.heard.playing) now.value = null
  },
)

const findings = computed(() => props.view.repair.findings)
/** Channels that are inverted, or that stay opposed to another one as prominent. */
const alarmed = computed(
  () =>
    new Set(
      findings.value.filter((f) => f.kind === 'channel-inverted' || f.kind === 'lasting-opposition').flatMap((f) => f.about.channels),
    ),
)
const isOf = (a: number, b: number) => (x: { a: number; b: number }) => x.a === Math.min(a, b) && x.b === Math.max(a, b)
const between = (a: number, b: number) => props.view.image.pairs.find(isOf(a, b))

/** Two of them against each other: inverted by their hits, or opposed for long with both prominent. */
function opposed(a: number, b: number): boolean {
  if (a === b) return false
  const lasting = findings.value.some(
    (f) => f.kind === 'lasting-opposition' && f.about.channels.includes(a) && f.about.channels.includes(b),
  )
  return lasting || props.view.repair.pairs.some((j) => isOf(a, b)(j) && j.invert)
}

function correlation(a: number, b: number): string {
  if (a === b) return ''
  const c = between(a, b)?.correlation
  return c === null || c === undefined ? '·' : `${c > 0 ? '+' : ''}${fixed(c, 2)}`
}

const live = computed(() => props.channels.some((id) => now.value?.has(id)))

/** What sounds now; of a channel that does not sound, and while nothing does, what it has over the whole. */
function levelOf(channel: number, whole: number | null): number | null {
  const rms = now.value?.get(props.channels[channel] ?? '')
  return rms === undefined ? whole : dbfs(rms)
}

const around = computed(() =>
  props.view.image.channels.map((c, i, all) => ({
    name: props.names[i] ?? '',
    degrees: props.view.degrees[i] ?? (360 / all.length) * i,
    rmsDb: levelOf(i, c.rms_db ?? null),
    alarmed: alarmed.value.has(i),
  })),
)
/** Where the whole sits, and where it came from in the last seconds. */
const MOST_TRAIL = 48
const trail = shallowRef<readonly [number, number][]>([])
const sits = computed(() => energyVector(around.value.filter((c) => c.name !== 'LFE')))
watch(
  () => [sits.value, live.value] as const,
  ([at, playing], was) => {
    const before = playing && was?.[1] ? trail.value : []
    trail.value = at ? [...before, at].slice(-MOST_TRAIL) : before
  },
  { immediate: true },
)
/** Pairs that are opposed and stay so: at the place that sounds, else over the whole; both loud enough to be heard. */
const opposing = computed(() =>
  props.view.image.pairs.filter((p) => {
    const loud = [p.a, p.b].every((c) => (around.value[c]?.rmsDb ?? -200) >= GATE_DB && props.names[c] !== 'LFE')
    const atS = (store.heard.frame - props.view.image.first) / store.rateHz
    return loud && (live.value ? opposedFor(p.strip, p.strip_step_s, atS) : opposed(p.a, p.b))
  }),
)
const moment = computed(() => ({
  trail: trail.value,
  opposed: opposing.value.map((p) => [around.value[p.a]!.degrees, around.value[p.b]!.degrees] as const),
}))
useSurface('surround', (s) => paintSurround(s, palette(), around.value, moment.value), [around, moment])
useSurface('fold', (s) => paintFold(s, palette(), props.view.to_stereo, props.view.to_mono), [() => props.view])
</script>

<template>
  <figure>
    <figcaption><b>How does every two stand?</b> <span class="soft">correlation over the whole</span></figcaption>
    <div class="scroll">
      <table class="matrix" data-test="matrix">
        <thead>
          <tr>
            <th />
            <th v-for="n in names" :key="n">{{ n }}</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(n, a) in names" :key="n">
            <th>{{ n }}</th>
            <td v-for="(_, b) in names" :key="b" :class="{ alarm: opposed(a, b) }">
              {{ correlation(a, b) }}
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </figure>
  <figure>
    <figcaption>
      <b>How loud from where?</b>
      <span class="soft" data-test="around" :data-now="live"
        >{{ live ? 'now' : 'the whole' }}, dBFS RMS, rings 12 dB apart; dot: where the whole sits</span
      >
    </figcaption>
    <canvas
      ref="surround"
      role="img"
      aria-label="Level by direction, seen from above, and where the whole sits"
      data-test="surround"
      :data-right="sits?.[0].toFixed(2)"
      :data-ahead="sits?.[1].toFixed(2)"
      :data-trail="trail.length"
      :data-opposed="opposing.length"
    />
  </figure>
  <figure class="low">
    <figcaption>
      <b>What do the fold-downs keep?</b> <span class="soft">ITU-R BS.775, by third-octave; light: stereo, dark: mono</span>
    </figcaption>
    <canvas ref="fold" role="img" aria-label="Fold-down by third-octave" data-test="fold" />
  </figure>
</template>

<style scoped>
.low {
  grid-column: span 2;
}
.scroll {
  overflow: auto;
  padding: 8px;
}
.matrix {
  border-collapse: collapse;
  font: 13px var(--mono);
}
.matrix th,
.matrix td {
  height: 28px;
  min-width: 46px;
  padding: 0 6px;
  text-align: right;
  border-bottom: 1px solid var(--line);
}
.alarm {
  color: var(--caution);
  font-weight: 600;
}
.alarm::before {
  content: '▼ ';
}
</style>
