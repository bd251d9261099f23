import { ref } from 'vue'
import { PRESETS, type Preset } from './plan'

const KEY = 'marea.closeness'
/** Own ones that are kept at most; the oldest go. */
const MOST = 20

function read(): Preset[] {
  try {
    const all: unknown = JSON.parse(localStorage.getItem(KEY) ?? '[]')
    return Array.isArray(all) ? all.filter(isPreset).slice(-MOST) : []
  } catch {
    return []
  }
}

function isPreset(one: unknown): one is Preset {
  const { name, strength, slack_ms, ratio } = (one ?? {}) as Record<string, unknown>
  const within = (v: unknown, least: number, most: number) => typeof v === 'number' && v >= least && v <= most
  return typeof name === 'string' && name !== '' && within(strength, 0, 100) && within(slack_ms, 0, 200) && within(ratio, 1, 2)
}

/** Those that come with the program, and this browser's own. */
export function usePresets() {
  const own = ref(read())

  function write(all: Preset[]): void {
    own.value = all.slice(-MOST)
    try {
      localStorage.setItem(KEY, JSON.stringify(own.value))
    } catch {
      // Without room or permission they last as long as the page.
    }
  }

  /** One of the same name is replaced; the names of the usual ones are taken. */
  function keep(preset: Preset): boolean {
    const name = preset.name.trim().slice(0, 40)
    if (name === '' || PRESETS.some((p) => p.name === name)) return false
    write([...own.value.filter((p) => p.name !== name), { ...preset, name }])
    return true
  }

  const forget = (name: string) => write(own.value.filter((p) => p.name !== name))
  return { own, keep, forget }
}
