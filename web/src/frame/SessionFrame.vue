<script setup lang="ts">
import { computed, nextTick, onBeforeUnmount, ref, watch } from 'vue'
import { useRoute } from 'vue-router'
import { useSessionAddress } from '../session/address'
import { useSession } from '../session/store'
import { useKeys } from '../shared/keys'
import { theme, toggleTheme } from '../shared/theme'
import { UNITS } from '../shared/units'
import HistoryList from './HistoryList.vue'
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

/** A place on the rail, and the views besides its own that belong to it. */
interface Place {
  name: string
  label: string
  path: string
  also?: readonly string[]
}
const views: Place[] = [
  { name: 'recordings', label: 'Recordings', path: 'M5 7h10M5 12h16M5 17h7M5 22h13' },
  { name: 'check', label: 'Check', path: 'M4 4h8v8H4zM15 4h7v8h-7zM4 15h8v8H4zM15 19l3 4 5-8' },
  { name: 'align', label: 'Align', path: 'M3 9c3-5 6-5 9 0s6 5 9 0M3 19c3-5 6-5 9 0s6 5 9 0M12 3v22' },
  { name: 'stereo', label: 'Stereo', path: 'M13 4L4 13l9 9 9-9zM13 8v10M8 13h10' },
  { name: 'latency', label: 'Latency', path: 'M3 6h7c4 0 4 8 8 8h5M3 22h7c4 0 4-8 8-8M13 5l3 3-3 3' },
  { name: 'prints', label: 'Prints', path: 'M3 9c2-5 4-5 6 0s4 5 6 0 4-5 6 0M3 19c3-5 5-5 7 0s4 5 7 0 3-5 5 0M21 4v4' },
  { name: 'rendered', label: 'Rendered', path: 'M4 4v20M4 24h19M8 18h3M12 12h3M16 15h3M20 8h3' },
  { name: 'clocks', label: 'Clocks', path: 'M13 4a10 10 0 1 0 .1 0M13 8v6l4 3M2 26h12M10 23h13' },
  { name: 'tempo', label: 'Tempo', path: 'M4 22h18M6 22V9M11 22v-6M16 22V9M21 22v-6M8 22v-4M13 22v-4M18 22v-4' },
  {
    name: 'timing',
    label: 'Timing',
    path: 'M4 13h18M7 8v10M13 5v16M19 8v10M7 8l3-3M19 18l-3 3',
    also: ['layer', 'takes', 'doubles', 'pitch', 'wide', 'comp', 'passages', 'noises'],
  },
  { name: 'deliver', label: 'Deliver', path: 'M13 4v12M8 12l5 5 5-5M4 22h18' },
]

useSessionAddress()

const main = ref<HTMLElement | null>(null)
const LABELS: Record<string, string> = {
  layer: 'Layer',
  takes: 'Takes',
  doubles: 'Doubles',
  pitch: 'Pitch',
  wide: 'Wide',
  comp: 'Comp',
  passages: 'Passages',
  noises: 'Noises',
}
const title = computed(() => LABELS[String(route.name)] ?? views.find((v) => v.name === route.name)?.label ?? 'Session')
watch(
  () => [title.value, store.detail?.session.name],
  ([view, session]) => (document.title = session ? `${view} – ${session} – Marea` : 'Marea'),
  { immediate: true },
)
// Whoever goes to a view goes on there: its keys work at once, and Tab steps through it.
watch(
  () => route.name,
  () => void nextTick(() => main.value?.focus({ preventScroll: true })),
)

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
    <div class="head" role="region" aria-label="Session and history">
      <router-link to="/" class="brand" title="All sessions"><img src="/marea.svg" alt="" width="26" height="26" />Marea</router-link>
      <template v-if="store.detail">
        <h1 class="session" :title="store.detail.session.name">{{ store.detail.session.name }}</h1>
        <span class="soft counts">
          {{ store.tracks.length }} tracks
          <template v-if="store.detail.session.rate_hz"> · {{ store.rateHz / 1000 }} kHz · {{ seconds() }}</template>
        </span>
      </template>
      <span class="fill" />
      <button
        class="plain walk"
        :disabled="!store.undoes"
        :title="store.undoes ? `Undo: ${store.undoes} (Ctrl+Z)` : 'Nothing to take back'"
        data-test="undo"
        @click="store.walk('undo')"
      >
        ↶ Undo<template v-if="store.undoes">: {{ store.undoes }}</template>
      </button>
      <button
        class="plain walk"
        :disabled="!store.redoes"
        :title="store.redoes ? `Redo: ${store.redoes} (Ctrl+Y)` : 'Nothing to carry out again'"
        data-test="redo"
        @click="store.walk('redo')"
      >
        ↷ Redo<template v-if="store.redoes">: {{ store.redoes }}</template>
      </button>
      <button class="plain" data-test="history" @click="history = true">History</button>
      <el-select v-model="store.unit" size="small" class="unit" aria-label="Unit of lags and offsets">
        <el-option v-for="u in UNITS" :key="u.value" :value="u.value" :label="u.label" />
      </el-select>
      <button class="plain" :title="theme === 'dark' ? 'Day chart' : 'Night chart'" data-test="theme" @click="toggleTheme()">
        {{ theme === 'dark' ? '☀ Day' : '☾ Night' }}
      </button>
      <button class="plain" title="Keys (?)" @click="keysShown = true">? Keys</button>
    </div>
    <p v-if="store.away" class="away" role="status">{{ store.away }}</p>
    <nav aria-label="Order of work">
      <router-link
        v-for="v in views"
        :key="v.name"
        :to="{ name: v.name, params: { session: store.id } }"
        :title="v.label"
        :class="{ within: v.also?.includes(String(route.name)) }"
      >
        <svg viewBox="0 0 26 28" width="22" height="24" fill="none" stroke="currentColor" stroke-width="1.8" aria-hidden="true">
          <path :d="v.path" />
        </svg>
        <span>{{ v.label }}</span>
      </router-link>
    </nav>
    <main ref="main" tabindex="-1" :aria-label="title">
      <div v-if="store.missing" class="view">
        <h1>There is no such session</h1>
        <p>It may have been removed. <router-link to="/">All sessions</router-link></p>
      </div>
      <router-view v-else-if="store.detail" />
    </main>
    <JobsBar />
    <ListenBar />
    <el-drawer v-model="history" title="History" size="380px">
      <HistoryList />
    </el-drawer>
  </div>
</template>

<style scoped>
.frame {
  height: 100%;
  display: grid;
  grid-template: auto auto minmax(0, 1fr) auto auto / 76px minmax(0, 1fr);
  grid-template-areas: 'head head' 'away away' 'nav main' 'nav jobs' 'bar bar';
}
.head {
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
.walk {
  max-width: 190px;
  overflow: hidden;
  text-overflow: ellipsis;
}
main:focus {
  outline: none;
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
nav a.router-link-active,
nav a.within {
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
/* Where there is little room, what can be reached otherwise gives way, and the view scrolls by itself. */
@media (max-width: 1180px) {
  .counts {
    display: none;
  }
  .walk {
    max-width: 130px;
  }
}
@media (max-width: 900px), (max-height: 560px) {
  .frame {
    grid-template-columns: 52px minmax(0, 1fr);
  }
  .head {
    gap: 4px;
    padding: 0 8px;
    overflow-x: auto;
  }
  .walk {
    max-width: 84px;
  }
  .unit {
    min-width: 84px;
  }
  nav {
    padding-top: 0;
    overflow-y: auto;
  }
  nav a {
    padding: 6px 0;
  }
  nav a span {
    font-size: 9px;
  }
  main {
    overflow: auto;
  }
}
</style>
