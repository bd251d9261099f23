import type { Directive } from 'vue'

const text = (value: unknown): string => String(value ?? '')

/**
 * The value of a field that somebody may be typing into. Bound with `:value` it would be written anew whenever anything on the page
 * moves, and what was typed would be lost.
 */
export const vTyped: Directive<HTMLInputElement, string | number | null | undefined> = {
  created: (el, { value }) => {
    el.value = text(value)
  },
  updated: (el, { value, oldValue }) => {
    if (value !== oldValue && document.activeElement !== el) el.value = text(value)
  },
}
