<script setup lang="ts">
import { computed, ref, shallowRef, watch } from 'vue'
import type { ImageView, Schemas } from '../../api/client'
import { paintFold } from '../../plot/fold'
import { paintGoniometer, type Way } from '../../plot/goniometer'
import { paintPhase, paintSum } from '../../plot/response'
import { paintStrip } from '../../plot/strip'
import { useSurface } from '../../plot/surface'
import { useSession } from '../../session/store'
import { palette } from '../../shared/theme'
import { fixed } from '../../shared/units'
import BalanceBar from './BalanceBar.vue'

/** Two channels: the goniometer of what sounds, correlation along the session, phase and sums. */
const props = defineProps<{ view: ImageView; pair: Schemas['Between']; judged: Schemas['Judged'] }>()

const store = useSession()
const way = ref<Way>('turned')
const dots = shallowRef<Float32Array | null>(null)
const now = shallowRef<{ full: number | null; low: number | null; balanceDb: number | null } | null>(null)
const signed = (v: number | null | undefined, digits: number, unit = '') =>
  v === null || v === undefined ? 'no signal' : `${v > 0 ? '+' : ''}${fixed(v, digits)}${unit}`

watch(
  () => [store.heard.frame, store.heard.corrected] as const,
  () => {
    const block = store.transport?.heard()
    if (!store.heard.playing || !block || store.scope !== 'apart') return
    const which = store.heard.corrected ? 'corrected' : 'recorded'
    dots.value = block.dots[which]
    const known = (v: number) => (Number.isNaN(v) ? null : v)
    const [left, right] = block[which].rms
    const balanceDb = Math.min(left, right) > 1e-5 ? 20 * Math.log10(right / left) : null
    now.value = { full: known(block[which].correlation), low: known(block[which].lowCorrelation), balanceDb }
  },
)

const at = computed(() => (store.heard.frame - props.view.image.first) / store.rateHz)
const directions = computed(() => props.pair.directions)
useSurface('gonio', (s) => paintGoniometer(s, palette(), dots.value, directions.value, way.value), [dots, directions, way])
useSurface(
  'strip',
  (s) => paintStrip(s, palette(), { full: props.pair.strip, low: props.pair.low_strip, stepS: props.pair.strip_step_s }, at.value),
  [() => props.pair, at],
)
/** The lag of the stronger arrivals is taken out, so that what turns is seen; where no lag fits the phase is wrapped to a turn. */
const lag = computed(() => props.pair.pair.lag_frames ?? null)
const phaseTold = computed(() => {
  if (lag.value === null) return { short: 'no delay fits', long: 'No one delay fits: the phase is drawn within a turn' }
  const ms = fixed((lag.value / props.view.image.rate_hz) * 1000, 2)
  const long = props.judged.delay_frames ? 'The delay is taken out' : 'The lag of the stronger arrivals is taken out; others have their own'
  return { short: `${ms} ms taken out`, long }
})
useSurface('phase', (s) => paintPhase(s, palette(), props.pair.pair, lag.value === null ? 'wrapped' : 'taken'), [() => props.pair])
useSurface('sum', (s) => paintSum(s, palette(), props.judged.sum_gain), [() => props.judged])
useSurface('fold', (s) => paintFold(s, palette(), props.view.to_stereo, props.view.to_mono), [() => props.view])

function seekStrip(e: MouseEvent): void {
  const width = (e.currentTarget as HTMLElement).clientWidth
  const part = Math.min(Math.max((e.offsetX - 40) / (width - 50), 0), 1)
  store.transport?.seek(props.view.image.first + part * props.pair.strip.length * props.pair.strip_step_s * store.rateHz)
}
</script>

<template>
  <figure class="tall">
    <figcaption class="spread">
      <b>How wide?</b> <span class="soft">dots: now</span>
      <button class="plain small" data-test="xy" @click="way = way === 'xy' ? 'turned' : 'xy'">{{ way === 'xy' ? 'turned' : 'XY' }}</button>
    </figcaption>
    <canvas
      ref="gonio"
      role="img"
      aria-label="Goniometer: left against right, the zone in which they oppose tinted"
      data-test="goniometer"
    />
    <dl class="under">
      <dt>Correlation</dt>
      <dd class="mono">
        {{ signed(pair.correlation, 2)
        }}<span v-if="now" :class="(now.full ?? 0) < 0 ? 'caution' : 'soft'" data-test="now-full"> now {{ signed(now.full, 2) }}</span>
      </dd>
      <dt>Below 200 Hz</dt>
      <dd class="mono">
        {{ signed(pair.low_correlation, 2)
        }}<span v-if="now" :class="(now.low ?? 0) < 0 ? 'caution' : 'soft'" data-test="now-low"> now {{ signed(now.low, 2) }}</span>
      </dd>
      <dt>Below zero</dt>
      <dd class="mono">{{ fixed(pair.opposed_part * 100, 0) }} % of the time</dd>
      <dt>Balance</dt>
      <dd class="mono">{{ signed(pair.balance_db, 2, ' dB RMS') }}</dd>
      <dt />
      <dd><BalanceBar :whole="pair.balance_db ?? null" :now="now?.balanceDb ?? null" /></dd>
      <dt />
      <dd class="mono">{{ signed(pair.loudness_balance_db, 2, ' LU') }}</dd>
      <dt>Strikes</dt>
      <dd class="mono">{{ pair.votes[0] }}, {{ pair.votes[1] }} opposed</dd>
    </dl>
  </figure>
  <figure>
    <figcaption><b>Does it last?</b> <span class="soft">line: below 200 Hz, over 1 s</span></figcaption>
    <canvas ref="strip" role="img" aria-label="Correlation along the session" data-test="strip" @click="seekStrip" />
  </figure>
  <figure>
    <figcaption>
      <b>One delay, or does phase turn?</b> <span class="soft" :title="phaseTold.long" data-test="phase-told">{{ phaseTold.short }}</span>
    </figcaption>
    <canvas ref="phase" role="img" aria-label="Phase of the second channel against the first by frequency" />
  </figure>
  <figure>
    <figcaption><b>What is lost in the sum?</b> <span class="soft">light: now, dark: repaired</span></figcaption>
    <canvas ref="sum" role="img" aria-label="Sum gain by third-octave" />
  </figure>
  <figure>
    <figcaption><b>What does mono keep?</b> <span class="soft">of each third-octave</span></figcaption>
    <canvas ref="fold" role="img" aria-label="Fold-down to mono by third-octave" />
  </figure>
</template>

<style scoped>
.tall {
  grid-row: span 2;
}
.spread {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
.small {
  margin-left: auto;
  font-size: 12px;
  padding: 0 5px;
}
.under {
  display: grid;
  grid-template-columns: 96px 1fr;
  gap: 1px 6px;
  margin: 0 0 10px;
  padding: 0 12px;
  font-size: 13px;
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
}
</style>
