/** Hearing both polarities of a microphone from its finding: beside the other microphone at its source, round its strongest hit. */
import { onBeforeUnmount, ref } from 'vue'
import { useSession } from '../../session/store'
import type { CheckView, FindingView } from './useCheck'

const KINDS = ['phase-turns', 'wired-inverted', 'opposed-by-placement', 'undecided']

/** Is the polarity of one microphone what the finding is about? */
export function hearable(view: FindingView): boolean {
  return KINDS.includes(view.finding.kind) && view.finding.about.tracks.length > 0
}

/** The microphone that a finding is about, and the one it is heard with: the one named, else another at its source, else the home of
 * the source it shows on. None where there is no other. */
export function heardWith(check: CheckView, view: FindingView): [number, number] | null {
  const [of, named] = view.finding.about.tracks
  if (of === undefined) return null
  if (named !== undefined) return [of, named]
  const own = check.table.rows.find((r) => r.members.includes(of))
  const shown = check.table.rows[view.finding.row ?? -1]
  const other = own?.members.find((m) => m !== of) ?? (shown && shown.home !== of ? shown.home : undefined)
  return other === undefined ? null : [of, other]
}

export function useHear(check: () => CheckView | null) {
  const store = useSession()
  /** Key of the finding that is heard, and which way. */
  const heard = ref<{ key: string; inverted: boolean } | null>(null)

  function stop(): void {
    if (heard.value) store.hearHere(null)
    heard.value = null
  }

  /** The same way again ends it. */
  function hear(view: FindingView, inverted: boolean): void {
    const c = check()
    if (heard.value?.key === view.key && heard.value.inverted === inverted) return stop()
    const two = c && heardWith(c, view)
    if (!c || !two) return
    const usual = { pan: 0, level_db: 0 }
    const places = { [c.tracks[two[0]]!]: { ...usual, invert: inverted }, [c.tracks[two[1]]!]: usual }
    heard.value = { key: view.key, inverted }
    store.hearHere('group', places)
    const row = c.table.rows.findIndex((r) => r.members.includes(two[0]))
    const example = c.carried[row >= 0 ? row : (view.finding.row ?? 0)]?.example
    if (!store.heard.playing && typeof example === 'number') {
      store.transport?.seek(Math.max(0, example - store.rateHz))
      void store.toggleSound()
    }
  }

  onBeforeUnmount(stop)
  return { heard, hear, stop }
}
