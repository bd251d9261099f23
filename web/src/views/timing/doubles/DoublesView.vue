<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from 'vue'
import LanesFold from '../../../lanes/LanesFold.vue'
import { useSession } from '../../../session/store'
import { useKeys } from '../../../shared/keys'
import { clock, fixed } from '../../../shared/units'
import { useAsked } from '../asked'
import HeldLine from '../HeldLine.vue'
import { useResults } from '../results'
import SeveralTracks from '../SeveralTracks.vue'
import TimingPage from '../TimingPage.vue'
import ClosenessRow from './ClosenessRow.vue'
import DeviationPlot from './DeviationPlot.vue'
import MomentCard from './MomentCard.vue'
import {
  follower,
  freshPlan,
  heldTogether,
  planKey,
  shades,
  spread,
  threads,
  WHY,
  withFollower,
  withLead,
  withPin,
  withTakes,
  type Closeness,
  type Follower,
  type Mark,
  type Plan,
} from './plan'
import { useDoubles } from './useDoubles'

/** Heard before and after a stretch that is marked, in seconds. */
const AROUND_S = 0.7

const store = useSession()
const kept = () => store.desk.state.plans.doubles
/** The plan is the session's: another window sees it too, and may change it. */
const draft = computed<Plan>(() => kept() ?? freshPlan(store.pair.a, [store.pair.b]))
const takes = computed({ get: () => draft.value.takes.map((t) => t.take), set: (ids) => change(withTakes(draft.value, ids)) })
const { asked, listen, settled } = useAsked<Plan>({
  draft,
  key: planKey,
  kept: () => kept() !== null && kept() !== undefined,
  keep: () => store.desk.change({ doubles: draft.value }),
  can: () => store.track(draft.value.lead) !== undefined && draft.value.takes.length > 0,
  again: () => void held.again(),
})
const { held, make, making, busy, trouble } = useDoubles(() => asked.value)
const current = computed(() => held.current.value && settled.value)
const change = (plan: Plan) => store.desk.change({ doubles: plan })
const closeness = (to: Closeness) => change({ ...draft.value, ...to })
/** Choosing others asks nothing: it may be the first of several choices. */
const chooseLead = (id: string) => change(withLead(draft.value, id))

const lead = computed(() => store.track(draft.value.lead)?.name ?? '')
const nameOf = (id: string) => store.track(id)?.name ?? ''
const all = computed(() => held.view.value?.takes ?? [])

/** The take that is looked at. */
const shownId = ref('')
const shown = computed(() => all.value.find((t) => t.take === shownId.value) ?? all.value[0])
const own = computed<Follower>(() => draft.value.takes.find((t) => t.take === shown.value?.take) ?? follower(shown.value?.take ?? ''))
const drawn = computed(() => (shown.value ? threads(shown.value, own.value, draft.value, store.rateHz) : []))
const shaded = computed(() => (shown.value ? shades(shown.value, own.value) : []))
const chosen = ref<number | null>(null)
// Its beginnings are others.
watch([() => shown.value?.take, () => draft.value.lead], () => (chosen.value = null))
const knot = computed(() => (shown.value && chosen.value !== null ? heldTogether(shown.value)[chosen.value] : undefined))
const change1 = (part: Partial<Follower>) => shown.value && change(withFollower(draft.value, shown.value.take, part))
const pin = (later: number | null) => knot.value && change1(withPin(own.value, knot.value, later))

const loop = computed(() => store.desk.state.range)
function protect(): void {
  if (loop.value) change1({ protected: [...(own.value.protected ?? []), [loop.value.from, loop.value.to]] })
}
const unprotect = (n: number) => change1({ protected: (own.value.protected ?? []).filter((_, k) => k !== n) })

const ms = (v: number) => fixed(v, 1)
const before = computed(() => spread(drawn.value.map((t) => t.before)))
const after = computed(() => spread(drawn.value.map((t) => t.after)))
const sentence = computed(() => {
  const t = shown.value
  if (!t) return ''
  if (t.refused) return `${nameOf(t.take)}: ${t.refused}.`
  if (!before.value || !after.value) return `${nameOf(t.take)} does not follow ${lead.value}: ${t.reason}.`
  const why = t.reason === '' ? '' : `: ${t.reason}`
  return (
    `${nameOf(t.take)} is ${ms(before.value.median)} ms off ${lead.value} in the median of ${drawn.value.length} beginnings, ` +
    `${ms(after.value.median)} ms as planned; it runs ${fixed(t.ratio, 2)} times faster or slower at most – ${t.verdict}${why}.`
  )
})
const follows = computed(() => all.value.filter((t) => !t.refused && t.goes.length > 0))
const ready = computed(() => current.value && all.value.length > 0 && follows.value.length === all.value.length)
const allMade = computed(() => all.value.length > 0 && all.value.every((t) => t.fits))
const anyMade = computed(() => all.value.some((t) => t.made.length > 0))
const bring = () => ready.value && !busy.value && !allMade.value && void make(draft.value)

const { hearsOriginal, swap } = useResults(() => all.value.flatMap((t) => t.made))

/** Lead and take alone, or all of the session. */
const alone = ref(false)
function listenAlone(on: boolean): void {
  alone.value = on
  if (!on || !shown.value) return store.hearHere(null)
  const heard = shown.value.made.length > 0 && !hearsOriginal.value ? shown.value.made.map((m) => m.track) : [shown.value.take]
  const place = (id: string) => [id, { pan: null, level_db: store.desk.lane(id).level_db }] as const
  store.hearHere('session', Object.fromEntries([draft.value.lead, ...heard].map(place)))
}
watch([hearsOriginal, shown], () => alone.value && listenAlone(true))
onBeforeUnmount(() => store.hearHere(null))

function hear(mark: Mark): void {
  const [from, to] = mark.lead as [number, number]
  void store.playOnce(Math.max(0, from - AROUND_S * store.rateHz), to + AROUND_S * store.rateHz)
}

useKeys('Doubles', [
  { key: 'g', label: 'Hold the takes against their lead', run: listen },
  { key: 'o', label: 'Hear the originals / the results', run: swap },
  { key: 'u', label: 'Lead and take alone / all of the session', run: () => listenAlone(!alone.value) },
  { key: 'p', label: 'Pin the chosen moment to the lead’s', run: () => pin(0) },
  { key: 'Enter', label: 'Bring the takes into time', run: bring },
])
</script>

<template>
  <TimingPage title="Doubles" :least="2">
    <template #pickers>
      <label for="takes">takes</label>
      <SeveralTracks id="takes" v-model="takes" class="pick" placeholder="which follow" data-test="takes" />
      <label for="lead">follow</label>
      <el-select id="lead" :model-value="draft.lead" filterable size="small" class="pick" data-test="lead" @change="chooseLead">
        <el-option v-for="t in store.inOrder" :key="t.id" :value="t.id" :label="t.name" />
      </el-select>
      <el-button type="primary" size="small" title="G" data-test="listen" @click="listen">Hold them together</el-button>
      <ClosenessRow :plan="draft" @change="closeness" @pitch="(part: number) => change({ ...draft, pitch: part })" />
    </template>
    <LanesFold />
    <HeldLine :held="held" :waiting="!current">
      <p v-if="shown" class="sentence" :class="shown.refused ? 'undecided' : shown.verdict" data-test="doubles-sentence">{{ sentence }}</p>
    </HeldLine>
    <div v-if="shown" class="plots">
      <div class="drawn">
        <div v-if="all.length > 1" class="choice" role="group" aria-label="The take that is looked at">
          <button v-for="t in all" :key="t.take" :aria-pressed="t.take === shown.take" :data-take="t.take" @click="shownId = t.take">
            {{ nameOf(t.take) }}
          </button>
        </div>
        <DeviationPlot
          v-model="chosen"
          :all="drawn"
          :shaded="shaded"
          :slack-ms="draft.slack_ms"
          :names="[lead, nameOf(shown.take)]"
          @go="(at: number) => store.transport?.seek(Math.max(0, Math.round(at - store.rateHz / 2)))"
        />
      </div>
      <aside class="facts" data-test="doubles-facts">
        <p v-if="trouble" class="undecided" role="alert">{{ trouble }}</p>
        <p v-if="allMade && current" class="clear" data-test="made">They follow like this.</p>
        <p v-else-if="busy && making" role="status">{{ making.title }}: {{ Math.round(making.progress * 100) }} %</p>
        <div class="buttons">
          <el-button
            v-if="!(allMade && current)"
            type="primary"
            size="small"
            title="Enter"
            :disabled="!ready || busy"
            data-test="bring-into-time"
            @click="bring"
            >{{ anyMade ? 'Make them anew' : 'Bring into time' }}</el-button
          >
          <el-button v-if="anyMade" size="small" title="O" data-test="swap" @click="swap">{{
            hearsOriginal ? 'Hear the results' : 'Hear the originals'
          }}</el-button>
          <el-button size="small" title="U" :aria-pressed="alone" data-test="alone" @click="listenAlone(!alone)">{{
            alone ? 'In the song' : 'Alone'
          }}</el-button>
        </div>
        <MomentCard v-if="knot && drawn[chosen!]" :knot="knot" :thread="drawn[chosen!]!" @pin="pin" />
        <template v-if="before && after">
          <h2>Off the lead</h2>
          <table class="plain">
            <thead>
              <tr>
                <th></th>
                <th>as it is</th>
                <th>as planned</th>
              </tr>
            </thead>
            <tbody>
              <tr>
                <th>median</th>
                <td class="mono">{{ ms(before.median) }} ms</td>
                <td class="mono" data-test="after-median">{{ ms(after.median) }} ms</td>
              </tr>
              <tr>
                <th>95 %</th>
                <td class="mono">{{ ms(before.most) }} ms</td>
                <td class="mono">{{ ms(after.most) }} ms</td>
              </tr>
            </tbody>
          </table>
        </template>
        <template v-if="shown.marked.length > 0">
          <h2>Not held together</h2>
          <ul data-test="marked">
            <li v-for="m in shown.marked" :key="`${m.lead[0]} ${m.why}`" :data-why="m.why">
              <button class="plain mono" title="Listen to it" @click="hear(m)">{{ clock(m.lead[0]!, store.rateHz) }}</button>
              {{ WHY[m.why](nameOf(shown.take), lead) }}
            </li>
          </ul>
        </template>
        <h2>Stretches that keep their length</h2>
        <ul v-if="(own.protected ?? []).length > 0" data-test="protected">
          <li v-for="([from, to], n) in own.protected" :key="n">
            <span class="mono">{{ clock(from!, store.rateHz) }} – {{ clock(to!, store.rateHz) }}</span>
            <button class="link" @click="unprotect(n)">Remove</button>
          </li>
        </ul>
        <button v-if="loop" class="link" data-test="protect" @click="protect">The loop keeps its length</button>
        <p v-else class="soft">Mark a loop on the ruler to name one.</p>
      </aside>
    </div>
    <p v-else-if="!asked" class="soft intro">
      Voices and instruments that double a lead are brought into time with it, tighter or looser: attacks stay as they are, pitch stays, and
      the originals stay beneath the results. Words that only one of them has are marked and left. Rather sing it again where much is off.
    </p>
  </TimingPage>
</template>

<style scoped>
.drawn {
  min-height: 0;
  display: flex;
  flex-direction: column;
  gap: 6px;
}
.drawn > :last-child {
  flex: 1;
}
ul {
  list-style: none;
  margin: 2px 0 8px;
  padding: 0;
  font-size: 13px;
}
table {
  font-size: 13px;
  margin-bottom: 10px;
}
th {
  text-align: left;
  font-weight: normal;
  padding-right: 10px;
}
</style>
