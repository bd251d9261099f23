<script setup lang="ts">
import { computed, nextTick, ref } from 'vue'
import { useRouter } from 'vue-router'
import { ask, client } from '../../api/client'
import { roomBefore, showHit } from '../../lanes/viewport'
import LanesFold from '../../lanes/LanesFold.vue'
import { useSurface } from '../../plot/surface'
import { useSession } from '../../session/store'
import { useKeys } from '../../shared/keys'
import { tellTrouble } from '../../shared/notice'
import { palette } from '../../shared/theme'
import ArrivalTable from './ArrivalTable.vue'
import FindingCard from './FindingCard.vue'
import StagePart from './StagePart.vue'
import { hearable, useHear } from './hear'
import { useCheck } from './useCheck'
import { paintWhole } from './whole'

const store = useSession()
const router = useRouter()
const { check, loaded, job, importing, onTheWay, again, accept, answer, dismiss } = useCheck()
const { heard: hearing, hear } = useHear(() => check.value)
const chosenKey = ref('')
/** Arrivals as a table, or places as a chart; and the cell that was looked at last, whose way the chart draws. */
const part = ref<'table' | 'stage'>('table')
const cell = ref<[number, number] | null>(null)

const open = computed(() => check.value?.findings.filter((f) => f.standing === 'open') ?? [])
const rest = computed(() => check.value?.findings.filter((f) => f.standing !== 'open') ?? [])
const solid = computed(() => open.value.filter((f) => f.finding.verdict === 'solid' && f.finding.changes.length > 0))
const chosen = computed(() => check.value?.findings.find((f) => f.key === chosenKey.value) ?? null)
const summary = computed(() => {
  const count = (s: string) => open.value.filter((f) => f.finding.severity === s).length
  const parts = [
    [count('fault'), 'fault', 'faults'],
    [count('caution'), 'caution', 'cautions'],
    [count('info'), 'note', 'notes'],
    [check.value?.findings.filter((f) => f.standing === 'agreed').length ?? 0, 'agreed', 'agreed'],
    [check.value?.findings.filter((f) => f.standing === 'dismissed').length ?? 0, 'put aside', 'put aside'],
  ] as const
  return parts
    .filter((p) => p[0] > 0)
    .map((p) => `${p[0]} ${p[0] === 1 ? p[1] : p[2]}`)
    .join(' · ')
})
/** Tracks that the advice moves or turns and that do not carry it yet. */
const advised = computed(() =>
  (check.value?.tracks ?? []).filter((id, m) => {
    const [t, a] = [store.track(id), check.value?.advice[m]]
    return (
      t &&
      a &&
      a.verdict !== 'undecided' &&
      (Math.abs(a.offset_frames - t.correction.offset_frames) > 0.005 || a.invert !== t.correction.invert)
    )
  }),
)

/** Both tracks under Align, at the strongest hit, with room before the attack. */
function openCell(r: number, m: number): void {
  const c = check.value
  const row = c?.table.rows[r]
  const cell = row?.cells[m]
  if (!c || !row || !cell) return
  const home = c.tracks[row.home]!
  const other = m === row.home ? (c.tracks[row.members.find((x) => x !== m) ?? (m === 0 ? 1 : 0)] ?? '') : c.tracks[m]!
  store.choose(home, other)
  const hit = c.carried[r]?.example
  const lag = cell.lag_frames ?? 0
  void router.push({
    name: 'align',
    params: { session: store.id },
    query: typeof hit === 'number' ? { hit: String(hit), lag: String(Math.round(lag)) } : {},
  })
  if (typeof hit === 'number') showHit(store.viewport, hit + Math.min(0, lag), roomBefore(null, store.rateHz), Math.abs(lag) * 1.8)
}

async function cancel(): Promise<void> {
  if (!job.value) return
  try {
    await ask(client.POST('/api/jobs/{job}/cancel', { params: { path: { job: job.value.id } } }))
  } catch (e) {
    tellTrouble((e as Error).message)
  }
}

function step(by: number): void {
  const list = [...open.value, ...rest.value]
  if (list.length === 0) return
  const at = list.findIndex((f) => f.key === chosenKey.value)
  chosenKey.value = list[(at + by + list.length) % list.length]!.key
  void goTo(chosenKey.value)
}

const cards = ref<HTMLElement | null>(null)

/** Brings a finding into sight; `focus`: and goes on there. Its card moves in the list when it is accepted. */
async function goTo(key: string, focus = false): Promise<void> {
  await nextTick()
  const card = cards.value?.querySelector<HTMLElement>(`[data-key="${CSS.escape(key)}"]`)
  card?.scrollIntoView({ block: 'nearest' })
  if (focus) card?.focus({ preventScroll: true })
}

async function acceptOne(key: string): Promise<void> {
  if (await accept([key])) await goTo(key, true)
}

function hearChosen(inverted: boolean): void {
  if (chosen.value?.standing === 'open' && hearable(chosen.value)) hear(chosen.value, inverted)
}

const acceptSolid = () => void accept(solid.value.map((f) => f.key))
useSurface('canvas', (s) => check.value && paintWhole(s, palette(), check.value.whole), [check])

useKeys('Check', [
  { key: 'n', label: 'Next finding', run: () => step(1) },
  { key: 'b', label: 'Finding before', run: () => step(-1) },
  {
    key: 'Enter',
    label: 'Accept the chosen finding',
    run: () => chosen.value?.standing === 'open' && chosen.value.finding.changes.length > 0 && void acceptOne(chosen.value.key),
  },
  { key: '3', label: 'Hear the microphone of the chosen finding as it is', run: () => hearChosen(false) },
  { key: '4', label: 'Hear it inverted', run: () => hearChosen(true) },
  { key: '2', label: 'Table or stage', run: () => (part.value = part.value === 'table' ? 'stage' : 'table') },
  { key: 'g', label: 'Accept all solid findings', run: () => solid.value.length > 0 && acceptSolid() },
])
</script>

<template>
  <div class="check">
    <div v-if="store.tracks.length === 0" class="view">
      <h1>Check</h1>
      <p>
        Nothing is here yet. <router-link :to="{ name: 'recordings', params: { session: store.id } }">Bring in recordings</router-link>; the
        check then runs by itself.
      </p>
    </div>
    <div v-else-if="!check" class="view">
      <h1>Check</h1>
      <p v-if="job" role="status">
        {{ job.title }}: {{ Math.round(job.progress * 100) }} % <button class="plain" @click="cancel">Cancel</button>
      </p>
      <p v-else-if="importing">
        The check begins once all recordings are in{{ onTheWay > 0 ? `; ${onTheWay} are on their way` : '' }}.
        <button v-if="onTheWay > 0" class="plain" data-test="run-check" @click="again">Check without them</button>
      </p>
      <p v-else-if="loaded">
        This session was not checked yet. <button class="plain" data-test="run-check" @click="again">Check now</button>
      </p>
    </div>
    <template v-else>
      <section class="left">
        <LanesFold />
        <header>
          <h2>{{ part === 'table' ? 'Arrivals' : 'The stage' }}</h2>
          <div class="choice" role="group" aria-label="What is shown">
            <button :aria-pressed="part === 'table'" data-test="part-table" @click="part = 'table'">Table</button>
            <button :aria-pressed="part === 'stage'" data-test="part-stage" @click="part = 'stage'">Stage</button>
          </div>
          <span v-if="part === 'stage'" class="soft"
            >Where the arrivals put sources and microphones, from above and to scale. Pointed at or focused, each shows its distances; arrow
            keys step.</span
          >
          <span v-else class="soft"
            >Each source as each microphone heard it: the mean of its clear moments,
            {{ store.heard.corrected ? 'as corrected' : 'as recorded' }}. A cell opens both tracks under Align.</span
          >
          <span v-if="job" class="soft" role="status"
            >checking again, {{ Math.round(job.progress * 100) }} % <button class="plain" @click="cancel">Cancel</button></span
          >
          <span v-else-if="importing" class="soft" role="status"
            >New recordings are on their way; the check follows once they are in.
            <button v-if="onTheWay > 0" class="plain" data-test="run-check" @click="again">Check without them</button></span
          >
          <span v-else-if="check.stale" class="caution"
            >Something changed since. <button class="plain" data-test="run-check" @click="again">Check again</button></span
          >
        </header>
        <p v-for="m in check.missing" :key="m" class="caution missing" role="alert">{{ m }}; the rest was checked without it.</p>
        <p v-if="check.table.rows.length === 0" class="none">
          No source could be told apart: there are no moments at which one microphone leads the others. More hits, a solo hit or names of
          sources would help.
        </p>
        <StagePart v-else-if="part === 'stage'" v-model:cell="cell" :check="check" />
        <ArrivalTable
          v-else
          :check="check"
          :chosen="chosen?.finding.about.tracks ?? []"
          @open="openCell"
          @look="(r, m) => (cell = [r, m])"
        />
        <p v-if="part === 'table'" class="legend soft">
          <span class="up">▲ upright</span> <span class="caution">▼ opposed</span> <span>│ arrival</span>
          <span>heavy line: solid, light: likely, hatched: undecided</span> <span>tinted column: a fault of that microphone</span>
        </p>
        <header v-if="part === 'table'">
          <h2>What the whole keeps, by third-octave</h2>
          <span class="soft"
            >sum of all tracks in dB against unrelated sounds · light: as recorded, dark: as corrected, line: with all advice taken</span
          >
        </header>
        <canvas
          v-if="part === 'table'"
          ref="canvas"
          class="whole"
          role="img"
          aria-label="Sum of all tracks by third-octave, as recorded, as corrected and as advised"
        />
      </section>
      <aside ref="cards" aria-label="Findings">
        <header>
          <h2>Findings</h2>
          <p class="soft">{{ summary || 'Nothing was found.' }}</p>
          <button v-if="solid.length > 0" class="plain all" data-test="accept-solid" @click="acceptSolid">
            Accept all {{ solid.length }} solid
          </button>
          <button
            v-if="advised.length > 0"
            class="plain all"
            data-test="accept-advice"
            :title="'Offset and polarity of every track as its policy has it'"
            @click="accept([], advised)"
          >
            Place {{ advised.length }} tracks as advised
          </button>
        </header>
        <FindingCard
          v-for="f in [...open, ...rest]"
          :key="f.key"
          :view="f"
          :check="check"
          :chosen="f.key === chosenKey"
          :hearing="hearing?.key === f.key ? hearing.inverted : null"
          @choose="chosenKey = f.key"
          @accept="acceptOne(f.key)"
          @answer="answer(f.key, $event)"
          @hear="hear(f, $event)"
          @dismiss="dismiss(f.key, $event)"
        />
      </aside>
    </template>
  </div>
</template>

<style scoped>
.check {
  height: 100%;
  display: grid;
  grid-template-columns: 1fr 300px;
}
.view {
  grid-column: 1 / -1;
}
.left {
  min-width: 0;
  min-height: 0;
  display: flex;
  flex-direction: column;
  gap: 5px;
  padding: 9px 12px;
}
.left > * {
  flex: none;
}
.missing {
  margin: 0;
}
.left > .scroll {
  flex: 0 1 auto;
}
.legend {
  margin: 0;
  font-size: 12px;
}
.legend span {
  margin-right: 14px;
}
.legend .up {
  color: var(--depth);
}
.left > header {
  display: flex;
  gap: 12px;
  align-items: baseline;
  flex-wrap: wrap;
  font-size: 12px;
}
.left > .whole {
  width: 100%;
  height: 0;
  flex: 1 1 100px;
  min-height: 100px;
  max-height: 190px;
}
aside {
  border-left: 1px solid var(--line);
  padding: 9px 10px;
  overflow-y: auto;
  min-height: 0;
}
aside header {
  margin-bottom: 9px;
}
aside header p {
  margin: 2px 0;
}
.all {
  text-decoration: underline;
  padding: 0;
  margin-right: 12px;
}
@media (max-width: 900px), (max-height: 560px) {
  .check {
    height: auto;
    grid-template-columns: minmax(0, 1fr);
  }
  .left > .whole {
    height: 190px;
    flex: none;
  }
  aside {
    border-left: 0;
    border-top: 1px solid var(--line);
  }
}
@media (min-width: 1600px) {
  .check {
    grid-template-columns: 1fr 380px;
  }
}
</style>
