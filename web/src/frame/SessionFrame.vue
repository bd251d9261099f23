<script setup lang="ts">
import { onBeforeUnmount, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { useSession } from '../session/store'
import { useKeys } from '../shared/keys'
import { theme, toggleTheme } from '../shared/theme'
import { UNITS } from '../shared/units'
import JobsBar from './JobsBar.vue'
import ListenBar from './ListenBar.vue'
import { keysShown } from './keysShown'

const route = useRoute()
const store = useSession()
const history = ref(false)

watch(
  () => route.params.session,
  (session) => {
    if (typeof session === 'string') void store.open(session)
  },
  { immediate: true },
)
onBeforeUnmount(() => store.close())

const views = [
  { name: 'recordings', label: 'Recordings', path: 'M5 7h10M5 12h16M5 17h7M5 22h13' },
  { name: 'check', label: 'Check', path: 'M4 4h8v8H4zM15 4h7v8h-7zM4 15h8v8H4zM15 19l3 4 5-8' },
  { name: 'align', label: 'Align', path: 'M3 9c3-5 6-5 9 0s6 5 9 0M3 19c3-5 6-5 9 0s6 5 9 0M12 3v22' },
  { name: 'stereo', label: 'Stereo', path: 'M13 4L4 13l9 9 9-9zM13 8v10M8 13h10' },
  { name: 'deliver', label: 'Deliver', path: 'M13 4v12M8 12l5 5 5-5M4 22h18' },
]

useKeys('Session', [
  { key: 'Ctrl+z', label: 'Undo', run: () => void store.walk('undo') },
  { key: 'Ctrl+y', label: 'Redo', run: () => void store.walk('redo') },
])

function seconds(): string {
  const s = Math.round((store.viewport.last - store.viewport.first) / store.rateHz)
  return s < 60 ? `${s} s` : `${Math.floor(s / 60)} min ${s % 60} s`
}
</script>

<template>
  <div class="frame">
    <header>
      <router-link to="/" class="brand" title="All sessions"><img src="/marea.svg" alt="" width="26" height="26" />Marea</router-link>
      <template v-if="store.detail">
        <h1 class="session">{{ store.detail.session.name }}</h1>
        <span class="soft">
          {{ store.tracks.length }} tracks
          <template v-if="store.detail.session.rate_hz"> · {{ store.rateHz / 1000 }} kHz · {{ seconds() }}</template>
        </span>
      </template>
      <span class="fill" />
      <button class="plain" :disabled="!store.canUndo" title="Undo (Ctrl+Z)" data-test="undo" @click="store.walk('undo')">↶ Undo</button>
      <button class="plain" :disabled="!store.canRedo" title="Redo (Ctrl+Y)" data-test="redo" @click="store.walk('redo')">↷ Redo</button>
      <button class="plain" data-test="history" @click="history = true">History</button>
      <el-select v-model="store.unit" size="small" class="unit" aria-label="Unit of lags and offsets">
        <el-option v-for="u in UNITS" :key="u.value" :value="u.value" :label="u.label" />
      </el-select>
      <button class="plain" :title="theme === 'dark' ? 'Day chart' : 'Night chart'" data-test="theme" @click="toggleTheme()">
        {{ theme === 'dark' ? '☀ Day' : '☾ Night' }}
      </button>
      <button class="plain" title="Keys (?)" @click="keysShown = true">? Keys</button>
    </header>
    <p v-if="store.away" class="away" role="status">{{ store.away }}</p>
    <nav aria-label="Order of work">
      <router-link v-for="v in views" :key="v.name" :to="{ name: v.name, params: { session: store.id } }">
        <svg viewBox="0 0 26 28" width="22" height="24" fill="none" stroke="currentColor" stroke-width="1.8" aria-hidden="true"><path :d="v.path" /></svg>
        {{ v.label }}
      </router-link>
    </nav>
    <main>
      <div v-if="store.missing" class="view">
        <h1>There is no such session</h1>
        <p>It may have been removed. <router-link to="/">All sessions</router-link></p>
      </div>
      <router-view v-else-if="store.detail" />
    </main>
    <JobsBar />
    <ListenBar />
    <el-drawer v-model="history" title="History" size="380px">
      <p v-if="store.detail?.decisions.length === 0" class="soft">Nothing was decided yet.</p>
      <ol class="history">
        <li v-for="d in [...(store.detail?.decisions ?? [])].reverse()" :key="d.id" :class="d.state">
          {{ d.label }}<span v-if="d.state !== 'done'" class="soft"> ({{ d.state === 'undone' ? 'taken back' : 'taken back, decided anew' }})</span>
        </li>
      </ol>
    </el-drawer>
  </div>
</template>

<style scoped>
.frame {
  height: 100%;
  display: grid;
  grid-template: auto auto 1fr auto 64px / 76px 1fr;
  grid-template-areas: 'head head' 'away away' 'nav main' 'nav jobs' 'bar bar';
}
header {
  grid-area: head;
  display: flex;
  align-items: center;
  gap: 12px;
  height: 43px;
  padding: 0 14px;
  background: var(--panel);
  border-bottom: 1px solid var(--line);
  white-space: nowrap;
}
.brand {
  display: flex;
  align-items: center;
  gap: 7px;
  font-weight: 600;
  font-size: 18px;
  color: var(--ink);
  text-decoration: none;
}
.session {
  font-size: 15px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.fill {
  flex: 1;
}
.unit {
  width: 108px;
}
.away {
  grid-area: away;
  margin: 0;
  padding: 5px 14px;
  background: var(--caution-fill);
  color: var(--caution);
  font-weight: 600;
}
nav {
  grid-area: nav;
  border-right: 1px solid var(--line);
  padding-top: 8px;
}
nav a {
  display: flex;
  flex-direction: column;
  align-items: center;
  gap: 2px;
  padding: 9px 0;
  font-size: 12px;
  color: var(--ink);
  text-decoration: none;
  border-left: 3px solid transparent;
  border-right: 3px solid transparent;
}
nav a.router-link-active {
  background: var(--shoal);
  border-left-color: var(--depth);
  font-weight: 600;
}
main {
  grid-area: main;
  min-width: 0;
  min-height: 0;
  overflow: hidden;
}
.history {
  padding-left: 20px;
  margin: 0;
}
.history li {
  padding: 3px 0;
}
.history li.undone,
.history li.superseded {
  color: var(--soft);
}
</style>
