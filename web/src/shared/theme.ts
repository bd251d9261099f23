import { ref } from 'vue'

export type Theme = 'light' | 'dark'

const stored = (() => {
  try {
    return localStorage.getItem('marea.theme')
  } catch {
    return null
  }
})()
const wanted: Theme = matchMedia('(prefers-color-scheme: dark)').matches ? 'dark' : 'light'

/** The theme in use; canvases watch it. */
export const theme = ref<Theme>(stored === 'dark' || stored === 'light' ? stored : wanted)

export function applyTheme(): void {
  document.documentElement.classList.toggle('dark', theme.value === 'dark')
}

export function toggleTheme(): void {
  theme.value = theme.value === 'dark' ? 'light' : 'dark'
  try {
    localStorage.setItem('marea.theme', theme.value)
  } catch {
    // Private windows may refuse; the theme then lasts as long as the page.
  }
  applyTheme()
}

export interface Palette {
  paper: string
  panel: string
  ink: string
  soft: string
  line: string
  shoal: string
  depth: string
  caution: string
  land: string
  clear: string
}

let cached: { theme: Theme; palette: Palette } | null = null

/** The chart's inks as the style sheet has them. Read once a theme: reading styles makes the browser lay out the page. */
export function palette(): Palette {
  if (cached?.theme !== theme.value) cached = { theme: theme.value, palette: read() }
  return cached.palette
}

function read(): Palette {
  const style = getComputedStyle(document.documentElement)
  const of = (name: string) => style.getPropertyValue(`--${name}`).trim()
  return {
    paper: of('paper'),
    panel: of('panel'),
    ink: of('ink'),
    soft: of('soft'),
    line: of('line'),
    shoal: of('shoal'),
    depth: of('depth'),
    caution: of('caution'),
    land: of('land'),
    clear: of('clear'),
  }
}
