<script setup lang="ts">
import { computed, ref } from 'vue'
import { useSession } from '../../session/store'
import { fixed } from '../../shared/units'
import { KINDS } from './kinds'
import { hearable, heardWith } from './hear'
import type { CheckView, FindingView } from './useCheck'

const props = defineProps<{ view: FindingView; check: CheckView; chosen: boolean; hearing: boolean | null }>()
const emit = defineEmits<{ choose: []; accept: []; answer: [which: number]; dismiss: [reason: string]; hear: [inverted: boolean] }>()
const store = useSession()
const effects = ref(false)
const leaving = ref(false)
const reason = ref('')

const f = computed(() => props.view.finding)
/** Both polarities can be heard where one of them is the question. */
const beside = computed(() => (props.view.standing === 'open' && hearable(props.view) ? heardWith(props.check, props.view) : null))
const words = computed(() => KINDS[f.value.kind])
const name = (m: number) => store.track(props.check.tracks[m] ?? '')?.name ?? ''
const title = computed(() => {
  const who = f.value.about.tracks.slice(0, 2).map(name).join(' and ')
  // An amount too unsure to move anything by is no verdict yet, and the title says so before the text does.
  const said = (f.value.verdict === 'undecided' && words.value.unsure) || words.value.title
  if (words.value.whole) return said
  return `${words.value.alone ? name(f.value.about.tracks[0]!) : who} ${said}`.replace(' :', ':')
})
const worst = computed(() => {
  const bands = [...f.value.cost_bands].sort((a, b) => b.then_db - b.now_db - (a.then_db - a.now_db))
  return bands[0] && bands[0].then_db - bands[0].now_db > 0.5 ? bands[0] : null
})
const open = computed(() => props.view.standing === 'open')

function leave(): void {
  if (reason.value.trim()) emit('dismiss', reason.value.trim())
  leaving.value = false
}
</script>

<template>
  <article
    :class="[f.severity, view.standing, { chosen }]"
    :data-test="`finding-${f.kind}`"
    :data-key="view.key"
    tabindex="0"
    @click="emit('choose')"
    @focus="emit('choose')"
  >
    <header>
      <span class="mark" aria-hidden="true">{{ words.mark }}</span>
      <h3>{{ title }}</h3>
      <span :class="['sure', view.standing === 'open' ? f.verdict : view.standing]">{{
        view.standing === 'open' ? f.verdict : view.standing
      }}</span>
    </header>
    <template v-if="open || chosen">
      <p>
        {{ f.text }}
        <template v-if="f.hits > 0 && f.kind !== 'late' && f.kind !== 'early' && f.kind !== 'pair-swapped'"
          >From {{ f.hits }} moments.</template
        >
      </p>
      <p v-if="(f.cost_db ?? 0) > 0.05 && f.changes.length > 0">
        Costs {{ fixed(f.cost_db ?? 0, 1) }} dB in the sum<template v-if="worst"
          >, most about {{ worst.hz }} Hz ({{ fixed(worst.now_db, 1) }} → {{ fixed(worst.then_db, 1) }} dB)</template
        >.
      </p>
      <p v-if="f.advice" class="soft">{{ f.advice }}</p>
    </template>
    <p v-if="view.note" class="soft">{{ view.standing === 'dismissed' ? `Put aside: ${view.note}` : view.note }}</p>
    <div v-if="open && f.question" class="question" role="group" :aria-label="f.question.text">
      <p>
        <b>{{ f.question.text }}</b>
      </p>
      <div v-for="(a, i) in f.question.answers" :key="a.text" class="answer">
        <button class="do" :data-test="`answer-${a.text}`" @click.stop="emit('answer', i)">{{ a.text }}</button>
        <span class="soft">{{ a.then }}</span>
      </div>
    </div>
    <div v-if="beside" class="hear" role="group" aria-label="Hear both polarities">
      <span class="soft">Hear it</span>
      <button :aria-pressed="hearing === false" data-test="hear-as-it-is" title="Key 3" @click.stop="emit('hear', false)">as it is</button>
      <button :aria-pressed="hearing === true" data-test="hear-inverted" title="Key 4" @click.stop="emit('hear', true)">inverted</button>
      <span class="soft">with {{ name(beside[1]) }}</span>
    </div>
    <footer v-if="open">
      <button v-if="f.changes.length > 0" class="do" data-test="accept" @click.stop="emit('accept')">
        {{ words.action ?? 'Accept' }}
      </button>
      <button v-if="f.effects.length > 0" class="link" data-test="effects" :aria-expanded="effects" @click.stop="effects = !effects">
        Effects
      </button>
      <router-link v-if="f.kind === 'paths-meet-unequal'" class="link" :to="{ name: 'latency', params: { session: store.id } }" @click.stop
        >See the paths</router-link
      >
      <button class="link" data-test="dismiss" @click.stop="leaving = !leaving">Put aside</button>
    </footer>
    <table v-if="open && effects && f.effects.length > 0" class="effects" data-test="effects-table">
      <tr v-for="(e, i) in f.effects" :key="i">
        <td>with {{ name(e.other) }}</td>
        <td class="soft">{{ check.sources[e.row]?.name }}</td>
        <td class="mono">{{ fixed(e.before_db, 1) }} → {{ fixed(e.after_db, 1) }} dB</td>
        <td :class="e.after_db > e.before_db ? 'clear' : 'caution'">{{ e.after_db > e.before_db ? 'better' : 'worse' }}</td>
      </tr>
    </table>
    <form v-if="leaving" class="why" @submit.prevent="leave" @click.stop>
      <input v-model="reason" maxlength="300" placeholder="Why? Kept with the session." data-test="reason" />
      <button class="do" type="submit" data-test="dismiss-now">Put aside</button>
    </form>
  </article>
</template>

<style scoped>
article {
  border-left: 3px solid var(--soft);
  padding: 5px 4px 7px 9px;
  margin-bottom: 10px;
  cursor: default;
}
article.fault {
  border-left-color: var(--caution);
}
article.caution {
  border-left-color: var(--land);
  color: inherit;
}
article.agreed {
  border-left-color: var(--clear);
}
article.dismissed {
  opacity: 0.75;
}
article.chosen {
  background: var(--panel);
}
header {
  display: flex;
  gap: 7px;
  align-items: baseline;
}
.mark {
  color: var(--soft);
  min-width: 12px;
}
.fault .mark {
  color: var(--caution);
}
h3 {
  flex: 1;
  font-size: 14px;
  overflow-wrap: anywhere;
}
.sure {
  font-size: 12px;
  border: 1px solid currentcolor;
  border-radius: 9px;
  padding: 0 7px;
  color: var(--soft);
}
.sure.solid,
.sure.agreed {
  color: var(--clear);
}
.sure.likely {
  color: var(--land-ink);
}
p {
  margin: 3px 0 0;
  font-size: 13px;
}
footer {
  display: flex;
  gap: 12px;
  margin-top: 6px;
}
.hear {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
  align-items: baseline;
  white-space: nowrap;
  margin-top: 6px;
  font-size: 13px;
}
.hear button {
  font: inherit;
  cursor: pointer;
  color: var(--ink);
  background: none;
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 1px 8px;
}
.hear button[aria-pressed='true'] {
  background: var(--ink);
  color: var(--paper);
}
.answer {
  display: flex;
  gap: 8px;
  align-items: baseline;
  margin-top: 4px;
  font-size: 13px;
}
.effects {
  margin-top: 5px;
  font-size: 12px;
  width: 100%;
  border-collapse: collapse;
}
.effects td {
  padding: 1px 4px 1px 0;
}
.why {
  display: flex;
  gap: 6px;
  margin-top: 6px;
}
.why input {
  flex: 1;
  min-width: 0;
  font: inherit;
  color: var(--ink);
  background: var(--paper);
  border: 1px solid var(--line);
  border-radius: 4px;
  padding: 2px 6px;
}
</style>
