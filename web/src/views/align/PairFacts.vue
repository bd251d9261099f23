<script setup lang="ts">
import { computed } from 'vue'
import type { PairView, Track } from '../../api/client'
import { useLaneActions } from '../../lanes/useLaneActions'
import { useSession } from '../../session/store'
import { fixed, span } from '../../shared/units'

/** What was measured of the pair in figures, and the hand's own values. */
const props = defineProps<{
  view: PairView | null
  track: Track | undefined
  carriedLag: number
  tried: boolean
  nullDepthDb: number | null
}>()
const emit = defineEmits<{ apply: []; nudge: [frames: number] }>()

const store = useSession()
const actions = useLaneActions()
const m = computed(() => props.view?.measurement ?? null)

const offsetText = computed(() => span(props.track?.correction.offset_frames ?? 0, store.unit, store.measure))

async function typed(e: Event): Promise<void> {
  const input = e.target as HTMLInputElement
  if (props.track && input.value.trim() !== offsetText.value) await actions.place(props.track.id, input.value)
  input.value = offsetText.value
}
</script>

<template>
  <aside>
    <dl v-if="m">
      <template v-if="view?.lag">
        <dt>Lag</dt>
        <dd class="mono">{{ fixed(view.lag.ms, 3) }} ms</dd>
        <dt />
        <dd class="mono" data-test="lag-samples">{{ fixed(view.lag.samples, 2) }} samples</dd>
        <dt />
        <dd class="mono">{{ fixed(view.lag.us, 0) }} µs · {{ span(view.lag.samples, 'distance', store.measure) }}</dd>
        <dt>As a note</dt>
        <dd class="mono">{{ span(view.lag.samples, 'note', store.measure) }}</dd>
        <dt>Left over</dt>
        <dd class="mono" data-test="remaining">{{ span((m.lag_frames ?? 0) - carriedLag, store.unit, store.measure) }}</dd>
      </template>
      <dt>Wired</dt>
      <dd :class="m.sign < 0 ? 'caution' : ''">{{ m.sign < 0 ? '▼ inverted' : m.sign > 0 ? '▲ upright' : 'undecided' }}</dd>
      <dt>Sums better</dt>
      <dd
        :class="view?.propose_invert ? 'caution' : ''"
        :title="view?.by_check ? 'Decided in the check, by all microphones of the session' : 'Decided by these two alone'"
      >
        {{ m.sign === 0 ? 'undecided' : view?.propose_invert ? '▼ inverted' : '▲ as it is' }}
      </dd>
      <dt>Certainty</dt>
      <dd :class="m.verdict === 'solid' ? 'clear' : ''" :title="m.reason">
        {{ m.verdict }}, {{ m.hits }} {{ m.material === 'struck' ? 'hits' : 'windows' }}
      </dd>
      <dt>Height</dt>
      <dd class="mono" title="Peak over the RMS of the curve; from 10 on solid">
        {{ fixed(m.height, 1) }} · rival {{ fixed(m.rival, 2) }}
      </dd>
      <dt>Coherence</dt>
      <dd class="mono">{{ fixed(m.coherence, 2) }}</dd>
      <dt>Null depth</dt>
      <dd class="mono" title="Energy left when B as corrected is subtracted from A">
        {{ nullDepthDb === null ? '' : `${fixed(nullDepthDb, 1)} dB` }}
      </dd>
    </dl>
    <p v-if="m?.phase_turns" class="caution turns">
      Phase turns with frequency: the arrival and the lows disagree. Judge by the sum, then by ear.
    </p>
    <div class="hand">
      <label
        >Offset
        <input
          :value="offsetText"
          data-test="offset"
          aria-label="Offset of the moved track, in the unit chosen or with any other"
          @change="typed"
      /></label>
      <label
        >Gain
        <input
          type="number"
          step="0.1"
          min="-60"
          max="24"
          :value="track?.correction.gain_db"
          aria-label="Gain in dB"
          @change="track && actions.gain(track.id, ($event.target as HTMLInputElement).value)"
        />
        dB</label
      >
    </div>
    <div class="buttons">
      <el-button type="primary" size="small" :disabled="!m" title="Enter" data-test="apply" @click="emit('apply')">
        {{ tried ? 'Apply tried lag' : 'Apply' }}
      </el-button>
      <el-button size="small" title="F" data-test="flip" @click="track && actions.flip(track.id)">Flip polarity</el-button>
      <el-button-group size="small">
        <el-button title="{" @click="emit('nudge', -10)">−10</el-button>
        <el-button title="[" @click="emit('nudge', -1)">−1</el-button>
        <el-button title="]" data-test="nudge-later" @click="emit('nudge', 1)">+1</el-button>
        <el-button title="}" @click="emit('nudge', 10)">+10</el-button>
      </el-button-group>
    </div>
  </aside>
</template>

<style scoped>
aside {
  grid-row: 1 / span 2;
  grid-column: 3;
  background: var(--panel);
  border: 1px solid var(--line);
  padding: 8px 10px;
  overflow: auto;
  display: flex;
  flex-direction: column;
}
dl {
  display: grid;
  grid-template-columns: 78px 1fr;
  gap: 1px 6px;
  margin: 0;
  font-size: 12px;
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
}
.turns {
  margin: 6px 0 0;
  font-size: 12px;
}
.hand {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 10px;
  margin-top: auto;
  padding-top: 6px;
}
.hand input {
  font: 13px var(--mono);
  width: 92px;
  border: 1px solid var(--line);
  border-radius: 3px;
  background: var(--paper);
  color: var(--ink);
  padding: 2px 4px;
}
.hand input[type='number'] {
  width: 46px;
}
.hand label {
  white-space: nowrap;
}
.buttons {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
  margin-top: 6px;
}
.buttons :deep(.el-button) {
  padding: 5px 8px;
}
.buttons :deep(.el-button + .el-button) {
  margin-left: 0;
}
</style>
