<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { useRouter } from 'vue-router'
import { ask, client, type Schemas } from '../../api/client'
import { tellTrouble } from '../../shared/notice'
import { theme, toggleTheme } from '../../shared/theme'

type Session = Schemas['Listed']
const router = useRouter()
const sessions = ref<Session[] | null>(null)
const name = ref('')
const busy = ref(false)

async function guarded(work: () => Promise<void>): Promise<void> {
  busy.value = true
  try {
    await work()
  } catch (e) {
    tellTrouble((e as Error).message)
  }
  busy.value = false
}

/** Year, month, day and minute, here. */
function day(s: number): string {
  const at = new Date(s * 1000)
  const two = (n: number) => String(n).padStart(2, '0')
  return `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())} ${two(at.getHours())}:${two(at.getMinutes())}`
}

function lengthOf(s: Session): string {
  if (!s.rate_hz || typeof s.end_frame !== 'number') return ''
  const seconds = Math.round(s.end_frame / s.rate_hz)
  const two = (n: number) => String(n).padStart(2, '0')
  return `${Math.floor(seconds / 3600)}:${two(Math.floor(seconds / 60) % 60)}:${two(seconds % 60)}`
}

/** Nothing else waits for the list: a session can be made before it has come. */
async function load(): Promise<void> {
  try {
    sessions.value = await ask(client.GET('/api/sessions'))
  } catch (e) {
    tellTrouble((e as Error).message)
  }
}

const create = () =>
  guarded(async () => {
    const made = await ask(client.POST('/api/sessions', { body: { name: name.value } }))
    await router.push({ name: 'recordings', params: { session: made.id } })
  })

const demo = (of: 'evening' | 'rehearsal') =>
  guarded(async () => {
    const made = await ask(client.POST('/api/demo', { params: { query: { of } } }))
    await router.push({ name: 'recordings', params: { session: made.id } })
  })

const remove = (s: Session) =>
  guarded(async () => {
    if (!window.confirm(`Remove the session “${s.name}” with its history? The recordings stay in the store.`)) return
    await ask(client.DELETE('/api/sessions/{session}', { params: { path: { session: s.id } } }))
    sessions.value = await ask(client.GET('/api/sessions'))
  })

onMounted(load)
</script>

<template>
  <main class="page">
    <div class="sheet-of-paper">
      <header>
        <h1><img src="/marea.svg" alt="" width="34" height="34" />Marea</h1>
        <button class="plain" @click="toggleTheme()">{{ theme === 'dark' ? '☀ Day' : '☾ Night' }}</button>
      </header>
      <p class="lead">
        Several microphones heard the same event, each with its own delay and polarity. Marea measures how they stand to one another, shows
        the evidence, and aligns them.
      </p>
      <form @submit.prevent="create">
        <el-input
          v-model="name"
          placeholder="Name of a new session"
          maxlength="200"
          aria-label="Name of a new session"
          data-test="new-name"
        />
        <el-button type="primary" native-type="submit" :disabled="busy || name.trim() === ''" data-test="create">Make session</el-button>
      </form>
      <h2>Sessions</h2>
      <table v-if="sessions && sessions.length > 0" class="sheet">
        <thead>
          <tr>
            <th>Name</th>
            <th>Made</th>
            <th class="number">Tracks</th>
            <th class="number">Length</th>
            <th>Rate</th>
            <th><span class="unseen">Remove</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="s in sessions" :key="s.id">
            <td>
              <router-link :to="{ name: 'check', params: { session: s.id } }" data-test="session">{{ s.name }}</router-link>
              <span v-if="s.is_demo" class="soft"> demo</span>
            </td>
            <td class="mono">{{ day(s.made_s) }}</td>
            <td class="number">{{ s.tracks || '' }}</td>
            <td class="number mono">{{ lengthOf(s) }}</td>
            <td>{{ s.rate_hz ? `${s.rate_hz / 1000} kHz` : 'nothing brought in yet' }}</td>
            <td class="number"><button class="plain" :title="`Remove ${s.name}`" @click="remove(s)">Remove</button></td>
          </tr>
        </tbody>
      </table>
      <p v-else-if="sessions" class="soft">No sessions yet. Make one and bring in your recordings, or open the demo.</p>
      <p v-if="sessions && !sessions.some((s) => s.is_demo)">
        <el-button :disabled="busy" data-test="demo" @click="demo('evening')">Open the demo session Harbour Hall</el-button>
        <el-button :disabled="busy" data-test="demo-rehearsal" @click="demo('rehearsal')">Open its rehearsal, loose in time</el-button>
      </p>
      <p class="soft foot"><a href="/reading/">API description</a></p>
    </div>
  </main>
</template>

<style scoped>
.page {
  height: 100%;
  overflow: auto;
}
.sheet-of-paper {
  max-width: 720px;
  margin: 40px auto;
  padding: 0 20px;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: center;
}
h1 {
  display: flex;
  align-items: center;
  gap: 10px;
  font-size: 28px;
}
.lead {
  font-size: 16px;
}
form {
  display: flex;
  gap: 8px;
  margin: 18px 0;
}
h2 {
  margin: 18px 0 6px;
}
.foot {
  margin-top: 30px;
}
</style>
