import { onBeforeUnmount, onMounted, reactive, ref } from 'vue'

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

const LETTERS = 'marea.letters'

/** Single-character keys work. People who use speech input, or hit keys by accident, turn them off (WCAG 2.2, 2.1.4). */
export const letters = ref(readLetters())

function readLetters(): boolean {
  try {
    return localStorage.getItem(LETTERS) !== 'off'
  } catch {
    return true
  }
}

export function setLetters(on: boolean): void {
  letters.value = on
  try {
    localStorage.setItem(LETTERS, on ? 'on' : 'off')
  } catch {
    // Private windows may refuse; it then lasts as long as the page.
  }
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

const CONTROLS = 'button, a, summary, input, [role="menuitem"], [role="button"], [role="tab"], [role="switch"]'

/** The control that got the focus by a click. After a click the page's keys go on working; a control reached by Tab is pressed by them. */
let clicked: EventTarget | null = null

function onFocus(event: FocusEvent): void {
  if (event.target !== clicked) clicked = null
}

function onPointer(event: PointerEvent): void {
  clicked = event.target instanceof HTMLElement ? event.target.closest(CONTROLS) : null
}

/** Space and Enter belong to the control that has the focus, unless a click put it there. */
function pressed(target: EventTarget | null, key: string): boolean {
  if (!(target instanceof HTMLElement) || (key !== ' ' && key !== 'Enter')) return false
  const control = target.closest(CONTROLS)
  return control !== null && control !== clicked
}

function onKey(event: KeyboardEvent): void {
  if (event.key === 'Tab') clicked = null
  if (event.altKey || event.defaultPrevented || busy(event.target)) return
  const key = keyOf(event) === 'Ctrl+z' && event.shiftKey ? 'Ctrl+y' : keyOf(event)
  if (pressed(event.target, key)) return
  // The list of keys can always be reached: the switch is in it.
  if (!letters.value && key.length === 1 && key !== ' ' && key !== '?') return
  // Text that somebody selected is copied, whatever the view copies.
  if (key === 'Ctrl+c' && window.getSelection()?.toString()) return
  const action = [...actions].reverse().find((a) => a.key.toLowerCase() === key.toLowerCase())
  if (!action) return
  event.preventDefault()
  action.run()
}

/** A control is pressed when Space is let go. This is prevented where the key was the page's. */
function onKeyUp(event: KeyboardEvent): void {
  if (event.key === ' ' && !busy(event.target) && !pressed(event.target, ' ')) event.preventDefault()
}

if (typeof window !== 'undefined') {
  window.addEventListener('keydown', onKey)
  window.addEventListener('keyup', onKeyUp)
  window.addEventListener('pointerdown', onPointer, true)
  window.addEventListener('focusin', onFocus, true)
}

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
