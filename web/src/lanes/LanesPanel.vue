<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, toRef } from 'vue'
import type { Track } from '../api/client'
import { laneOf, type Group } from '../session/deskRules'
import { useSession } from '../session/store'
import { COLUMNS, shownColumns } from './columns'
import GroupDialog from './GroupDialog.vue'
import LaneStack from './LaneStack.vue'
import { linkName } from '../session/links'
import LaneTools from './LaneTools.vue'
import type { LaneStroke } from './strokes'
import { usePathFacts } from './usePathFacts'
import { useStack, type Tried } from './useStack'

const props = withDefaults(
  defineProps<{ all: boolean; usual: number; hits?: readonly number[]; strokes?: readonly LaneStroke[]; tried?: Tried | null }>(),
  { hits: () => [], strokes: () => [], tried: null },
)
const emit = defineEmits<{ select: [id: string] }>()

const store = useSession()
const overlay = ref<'off' | 'both' | 'sum' | 'difference'>('off')
const shown = computed(() => overlay.value !== 'off')
const picked = ref(new Set<string>())
const editing = ref<(Partial<Group> & { name: string; tracks: string[] }) | null>(null)
const menu = ref<{ id: string; x: number; y: number } | null>(null)
const facts = usePathFacts()
const { rows, hidden } = useStack({ all: toRef(props, 'all'), overlay: shown, usual: toRef(props, 'usual'), tried: toRef(props, 'tried') })
const titles = computed(() => shownColumns(store.desk.state.columns).map((c) => COLUMNS[c].label))

function pick(id: string): void {
  const next = new Set(picked.value)
  if (!next.delete(id)) next.add(id)
  picked.value = next
}

function newGroup(tracks: string[]): void {
  const first = store.track(tracks[0] ?? '')
  editing.value = {
    name: first?.source && first.source !== 'everything' ? first.source : 'Group',
    tracks,
    colour: store.desk.groups.length % 8,
  }
}

function put(group: Partial<Group> & { name: string; tracks: string[] }): void {
  store.desk.putGroup(group)
  editing.value = null
  picked.value = new Set()
}

/** Files of several channels, and lefts with their rights. */
function groupFiles(): void {
  const sets = new Map<string, Track[]>()
  for (const t of store.tracks) {
    const key = t.link_id ?? (t.side === 'left' || t.side === 'right' ? `${t.source}/${t.role}` : '')
    if (key !== '') sets.set(key, [...(sets.get(key) ?? []), t])
  }
  for (const tracks of sets.values()) {
    if (tracks.length < 2 || tracks.some((t) => store.desk.group(t.id))) continue
    const name = tracks[0]!.link_id ? linkName(tracks) : tracks[0]!.source
    store.desk.putGroup({ name, tracks: tracks.map((t) => t.id) })
  }
}

function taller(factor: number): void {
  const lanes = Object.fromEntries(
    store.tracks.map((t) => {
      const lane = laneOf(store.desk.state, t.id)
      return [t.id, { ...lane, height: Math.min(Math.max(lane.height * factor, 0.4), 6) }]
    }),
  )
  store.desk.change({ lanes }, `All lanes ${factor > 1 ? 'taller' : 'lower'}`)
}

function openMenu(id: string, e: MouseEvent): void {
  e.stopPropagation()
  menu.value = { id, x: Math.min(e.clientX, window.innerWidth - 220), y: Math.min(e.clientY, window.innerHeight - 190) }
}

const actionsOf = computed(() => {
  const id = menu.value?.id
  const t = id ? store.track(id) : undefined
  if (!id || !t) return []
  const group = store.desk.group(id)
  return [
    { label: 'Hide', run: () => store.desk.setLane(id, { hidden: true }, `${t.name} hidden`) },
    { label: 'Usual height', run: () => store.desk.setLane(id, { height: 1 }, `${t.name}: usual height`) },
    { label: 'Mark as one to be measured against', run: () => store.choose(id, undefined) },
    { label: 'New group with it', run: () => newGroup([...new Set([id, ...picked.value])]) },
    ...(group
      ? [
          {
            label: `Take out of “${group.name}”`,
            run: () => store.desk.putGroup({ ...group, tracks: group.tracks.filter((x) => x !== id) }),
          },
        ]
      : []),
    ...store.desk.groups
      .filter((g) => g.id !== group?.id)
      .map((g) => ({ label: `Into “${g.name}”`, run: () => store.desk.putGroup({ ...g, tracks: [...g.tracks, id] }) })),
  ]
})

const closeMenu = () => (menu.value = null)
onMounted(() => window.addEventListener('click', closeMenu))
onBeforeUnmount(() => window.removeEventListener('click', closeMenu))
</script>

<template>
  <LaneTools
    :hidden="hidden"
    :picked="picked.size"
    :overlay="overlay"
    @group="newGroup([...picked])"
    @group-files="groupFiles"
    @overlay="overlay = $event"
    @taller="taller"
  />
  <LaneStack
    :rows="rows"
    :hits="hits"
    :strokes="strokes"
    :way="overlay === 'off' ? 'both' : overlay"
    :picked="picked"
    :facts="facts"
    :usual="usual"
    @select="emit('select', $event)"
    @pick="pick"
    @edit-group="editing = $event"
    @menu="openMenu"
  >
    <template #titles>
      <span v-for="t in titles" :key="t" class="text">{{ t }}</span>
    </template>
  </LaneStack>
  <GroupDialog
    :group="editing"
    :tracks="store.inOrder"
    @put="put"
    @dissolve="(id) => (store.desk.dissolve(id), (editing = null))"
    @close="editing = null"
  />
  <div v-if="menu" class="menu" role="menu" :style="{ left: `${menu.x}px`, top: `${menu.y}px` }" @keydown.esc="closeMenu">
    <button v-for="a in actionsOf" :key="a.label" class="plain" role="menuitem" @click="a.run">{{ a.label }}</button>
  </div>
</template>

<style scoped>
.menu {
  position: fixed;
  z-index: 20;
  display: flex;
  flex-direction: column;
  min-width: 180px;
  max-height: 260px;
  overflow: auto;
  padding: 4px;
  background: var(--panel);
  border: 1px solid var(--ink);
  border-radius: 4px;
}
.menu button {
  text-align: left;
}
</style>
