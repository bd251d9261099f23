import { onBeforeUnmount, onMounted, reactive } from 'vue'

/** What a key does. `key` is as KeyboardEvent.key gives it, with "Ctrl+" before it where needed. */
export interface KeyAction {
  key: string
  label: string
  group: string
  run: () => void
}

const actions = reactive<KeyAction[]>([])

/** Everything that has a key just now, for the list. */
export function keyActions(): readonly KeyAction[] {
  return actions
}

/** Keys belong to text while somebody types, and to a dialog while one is open. */
function busy(target: EventTarget | null): boolean {
  if (!(target instanceof HTMLElement)) return false
  if (target.isContentEditable || target.tagName === 'TEXTAREA' || target.tagName === 'SELECT') return true
  if (target instanceof HTMLInputElement) return !['checkbox', 'radio', 'button', 'file'].includes(target.type)
  return target.closest('[role="dialog"], .el-select__wrapper, .el-select-dropdown') !== null
}

export function keyOf(event: KeyboardEvent): string {
  return (event.ctrlKey || event.metaKey ? 'Ctrl+' : '') + (event.key.length === 1 ? event.key.toLowerCase() : event.key)
}

function onKey(event: KeyboardEvent): void {
  if (event.altKey || event.defaultPrevented || busy(event.target)) return
  const key = keyOf(event) === 'Ctrl+z' && event.shiftKey ? 'Ctrl+y' : keyOf(event)
  // Enter and Space press the button that has the focus; elsewhere they are ours.
  const onButton = event.target instanceof HTMLElement && event.target.closest('button, a') !== null
  if (onButton && key === 'Enter') return
  const action = [...actions].reverse().find((a) => a.key.toLowerCase() === key.toLowerCase())
  if (!action) return
  event.preventDefault()
  if (key === ' ' && event.target instanceof HTMLElement) event.target.blur()
  action.run()
}

if (typeof window !== 'undefined') window.addEventListener('keydown', onKey)

/** Gives keys to actions while the component lives. */
export function useKeys(group: string, list: Omit<KeyAction, 'group'>[]): void {
  const mine = list.map((a) => ({ ...a, group }))
  onMounted(() => actions.push(...mine))
  onBeforeUnmount(() => {
    for (const a of mine) {
      const i = actions.findIndex((x) => x.run === a.run && x.key === a.key)
      if (i >= 0) actions.splice(i, 1)
    }
  })
}
