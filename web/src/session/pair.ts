import { reactive } from 'vue'
import type { Track } from '../api/client'

/** The two tracks that are looked at. Until somebody chooses, they follow the anchor: recordings come in one after the other, in
 * any order. */
export function makePair() {
  const pair = reactive({ a: '', b: '' })
  const proposed = { a: '', b: '' }

  /** Keeps the pair fitting to the tracks that are there. */
  function settle(tracks: readonly Track[], anchor: string): void {
    const known = (id: string) => tracks.some((t) => t.id === id)
    if (!known(pair.a) || pair.a === proposed.a) pair.a = proposed.a = anchor
    if (!known(pair.b) || pair.b === pair.a || pair.b === proposed.b) pair.b = proposed.b = tracks.find((t) => t.id !== pair.a)?.id ?? ''
  }

  /** Somebody chose the pair: from now on it stays. */
  function choose(a = pair.a, b = pair.b): void {
    Object.assign(pair, { a, b })
    Object.assign(proposed, { a: '', b: '' })
  }

  function reset(): void {
    Object.assign(pair, { a: '', b: '' })
    Object.assign(proposed, pair)
  }

  return { pair, settle, choose, reset }
}
