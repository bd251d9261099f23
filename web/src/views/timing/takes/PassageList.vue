<script setup lang="ts">
import { useSession } from '../../../session/store'
import { clock } from '../../../shared/units'
import { moveOf, reason, type Flag, type Plan } from './plan'

const props = defineProps<{
  flagged: readonly { flag: Flag; meant: boolean }[]
  plan: Plan
  names: readonly [string, string]
}>()
const emit = defineEmits<{ move: [flag: Flag, take: 0 | 1 | null]; meant: [flag: Flag, on: boolean]; hear: [flag: Flag] }>()
const store = useSession()

const at = (f: Flag) => clock(f.range[0]!, store.rateHz)
const moved = (f: Flag) => {
  const move = moveOf(props.plan, f)
  return move ? (move.track === props.plan.first ? props.names[0] : props.names[1]) : ''
}
/** What is proposed: the take that is off by the beats; where nobody knows, either. */
const offers = (f: Flag): (0 | 1)[] => (f.take === props.plan.first ? [0] : f.take === props.plan.second ? [1] : [0, 1])
</script>

<template>
  <p v-if="flagged.length === 0" class="clear" data-test="together">They sit together everywhere.</p>
  <ul v-else data-test="passages">
    <li v-for="{ flag, meant } in flagged" :key="flag.range[0]" :data-meant="meant" :data-take="flag.take ?? ''">
      <button class="plain mono" title="Listen to it" @click="emit('hear', flag)">{{ at(flag) }}</button>
      <span>{{ flag.count === 1 ? 'a chord' : `${flag.count} chords` }}: {{ reason(flag, names, plan) }}.</span>
      <div class="offers">
        <template v-if="meant">
          <span class="soft">Meant.</span>
          <button class="link" data-test="not-meant" @click="emit('meant', flag, false)">Not meant</button>
        </template>
        <template v-else-if="moved(flag)">
          <span class="clear">{{ moved(flag) }} is moved.</span>
          <button class="link" data-test="stays" @click="emit('move', flag, null)">Leave it</button>
        </template>
        <template v-else>
          <button v-for="n in offers(flag)" :key="n" class="do" :data-test="`move-${n}`" @click="emit('move', flag, n)">
            Move {{ names[n] }}
          </button>
          <button class="link" data-test="meant" @click="emit('meant', flag, true)">Meant</button>
        </template>
      </div>
    </li>
  </ul>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 4px 0 8px;
  padding: 0;
  font-size: 13px;
}
li {
  padding: 4px 0 6px;
  border-bottom: 1px solid var(--line);
}
.offers {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 8px;
  align-items: center;
  margin-top: 3px;
}
</style>
