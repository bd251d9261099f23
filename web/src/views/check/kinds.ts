import type { Schemas } from '../../api/client'

export type Kind = Schemas['Kind']

/** How a kind of finding is shown. */
export interface KindWords {
  mark: string
  /** What the title says of the tracks. */
  title: string
  /** The same while nothing is decided. */
  unsure?: string
  /** The title names the first track only. */
  alone?: boolean
  /** The title is about the whole session and names no track. */
  whole?: boolean
  /** What the button does. */
  action?: string
}

/** Every kind that the server knows: a new one does not compile before it has its words. */
export const KINDS: Record<Kind, KindWords> = {
  'wired-inverted': { mark: '▼', title: 'is wired inverted', alone: true, action: 'Invert it' },
  'opposed-by-placement': { mark: '▽', title: 'is opposed by placement', alone: true, action: 'Invert for its source' },
  'phase-turns': { mark: '∿', title: 'turns its phase', alone: true, action: 'Invert it for the lows' },
  late: { mark: '→', title: 'is late by a fault', unsure: 'may be late by a fault', alone: true, action: 'Move it earlier' },
  early: { mark: '←', title: 'is early by a fault', alone: true, action: 'Move it later' },
  'pair-swapped': { mark: '⇄', title: 'are swapped', action: 'Exchange the sides' },
  'pairs-contradict': { mark: '⇄', title: 'contradict another pair' },
  'weak-in-mono': { mark: '◐', title: 'are weak in mono' },
  'lows-lost': { mark: '⌄', title: 'lose their lows' },
  'advice-costs': { mark: '⌄', title: 'All advice together costs', whole: true },
  unrelated: { mark: '≠', title: 'is unrelated to the rest' },
  dead: { mark: '!', title: 'is silent' },
  'too-quiet': { mark: '!', title: 'is too quiet' },
  clipped: { mark: '!', title: 'is clipped' },
  'dc-offset': { mark: '!', title: 'carries an offset' },
  noisy: { mark: '!', title: 'is noisy' },
  'copied-channel': { mark: '!', title: 'carry one channel' },
  'same-recording': { mark: '!', title: 'are the same recording' },
  'wrong-rate': { mark: '!', title: 'runs at a wrong rate' },
  'stamp-disagrees': { mark: '!', title: 'disagrees with its time stamp', action: 'Move to its sound' },
  'lengths-differ': { mark: '!', title: 'differ in length' },
  'channel-missing': { mark: '!', title: 'lacks its other half' },
  undecided: { mark: '?', title: 'is undecided' },
  'channel-inverted': { mark: '▼', title: 'is inverted' },
  'channel-late': { mark: '→', title: 'is late' },
  'level-difference': { mark: '!', title: 'is louder' },
  'one-copied': { mark: '!', title: 'carry one and the same' },
  'lasting-opposition': { mark: '∿', title: 'stay opposed' },
  'paths-meet-unequal': { mark: '⤚', title: 'arrives twice, unequally late', alone: true },
  silent: { mark: '!', title: 'is silent' },
}
