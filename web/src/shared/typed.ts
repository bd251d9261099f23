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

/** The number that somebody typed into the field of an event, with a comma or a point and any minus; null where it is none. */
export function typedNumber(e: Event): number | null {
  const clean = text((e.target as HTMLInputElement).value)
    .trim()
    .replace(',', '.')
    .replace('\u2212', '-')
  const value = Number(clean)
  return clean === '' || !Number.isFinite(value) ? null : value
}
