import { ref } from 'vue'

const KEY = 'marea.lanes.scale'

function read(): boolean {
  try {
    return localStorage.getItem(KEY) !== 'same'
  } catch {
    return true
  }
}

/** Every lane fills its height with its own peak; else all lanes have the same scale. */
export const fitted = ref(read())

export function setFitted(on: boolean): void {
  fitted.value = on
  try {
    localStorage.setItem(KEY, on ? 'fit' : 'same')
  } catch {
    // Private windows may refuse; it then lasts as long as the page.
  }
}
