<script setup lang="ts">
import { computed } from 'vue'
import { ask, client, type Schemas } from '../../api/client'
import { useChecked } from '../../session/checked'
import { useSession } from '../../session/store'
import { tellTrouble } from '../../shared/notice'
import { fixed } from '../../shared/units'

/** Which side every source is on in every pair: where pairs disagree, one of them has left and right exchanged. */
const store = useSession()
const { check, loaded } = useChecked()

const seat = computed(() => (store.desk.state.seat === 'performer' ? 'performer' : 'audience'))
const pairs = computed(() => check.value?.sides ?? [])
const nameOf = (track: number) => store.track(check.value?.tracks[track] ?? '')?.name ?? ''
const GLYPHS: Record<string, string> = { left: '◂', right: '▸', centre: '◆', '': '' }

/** The side that most pairs give a source. */
function usual(row: number): string {
  const counts = new Map<string, number>()
  for (const p of pairs.value) {
    const side = p.sides[row] ?? ''
    if (side === 'left' || side === 'right') counts.set(side, (counts.get(side) ?? 0) + 1)
  }
  return [...counts].sort((a, b) => b[1] - a[1])[0]?.[0] ?? ''
}

const against = (row: number, side: string) => (side === 'left' || side === 'right') && usual(row) !== '' && usual(row) !== side
const amount = (p: Schemas['PairSides'], row: number) => {
  const v = p.left[row]
  if (v === null || v === undefined) return 'cannot tell'
  return p.by === 'level' ? `${fixed(Math.abs(v), 1)} dB` : `${fixed(Math.abs(v), 2)} ms`
}

async function exchange(p: Schemas['PairSides']): Promise<void> {
  const [l, r] = p.pair.map((t) => check.value!.tracks[t]!) as [string, string]
  await store.exchangeSides(l, r)
}

async function turn(): Promise<void> {
  try {
    await ask(client.POST('/api/sessions/{session}/seat', { params: { path: { session: store.id } } }))
    await store.reload()
  } catch (e) {
    tellTrouble((e as Error).message)
  }
}
</script>

<template>
  <section class="sides">
    <header>
      <h2>Which side is who on?</h2>
      <span class="soft"
        >By which half of each pair hears a source first, or louder where both stand together. Left and right as from the
        <b data-test="seat">{{ seat }}’s</b> seat.</span
      >
      <button
        class="plain"
        data-test="turn-seat"
        title="Left and right exchanged in sides, names and places of the whole session"
        @click="turn"
      >
        Turn the seat round
      </button>
    </header>
    <p v-if="loaded && !check" class="soft">The sides follow from the check, which has not run yet.</p>
    <p v-else-if="loaded && pairs.length === 0" class="soft">No two tracks call themselves left and right of one thing.</p>
    <div v-else class="scroll">
      <table class="sheet" data-test="sides">
        <thead>
          <tr>
            <th>Source</th>
            <th v-for="p in pairs" :key="p.pair.join()">
              {{ nameOf(p.pair[0]!) }} · {{ nameOf(p.pair[1]!) }}<br /><button
                class="plain"
                :data-exchange="nameOf(p.pair[0]!)"
                @click="exchange(p)"
              >
                exchange
              </button>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(s, row) in check?.sources ?? []" :key="row">
            <td>{{ s.name }}</td>
            <td v-for="p in pairs" :key="p.pair.join()" :class="{ caution: against(row, p.sides[row] ?? '') }" :data-side="p.sides[row]">
              {{ GLYPHS[p.sides[row] ?? ''] }} {{ p.sides[row] || '' }} <span class="mono soft">{{ amount(p, row) }}</span>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
    <p class="soft">
      In magenta: against what most pairs say. A pair that is so for every source has its sides exchanged, by cable or by name.
    </p>
  </section>
</template>

<style scoped>
.sides {
  min-height: 0;
  display: flex;
  flex-direction: column;
  gap: 8px;
}
header {
  display: flex;
  gap: 12px;
  align-items: baseline;
  flex-wrap: wrap;
}
.scroll {
  overflow: auto;
}
p {
  margin: 0;
}
</style>
