import type { Schemas } from '../../../api/client'

export type Plan = Schemas['RetuneOf']
export type NoteOf = Schemas['NoteOf']
export type Found = Schemas['PitchView']
export type Sung = Schemas['NoteSung']

const NAMES = ['C', 'C♯', 'D', 'D♯', 'E', 'F', 'F♯', 'G', 'G♯', 'A', 'A♯', 'B'] as const

export const freshPlan = (track: string): Plan => ({ track, notes: [] })
export const planKey = (p: Plan) => JSON.stringify([p.track, (p.notes ?? []).map((n) => [n.from, n.to, n.cents, n.drift, n.vibrato])])

/** The name of the nearest key; C4 is key 60. */
export function keyName(key: number): string {
  const whole = Math.round(key)
  return `${NAMES[((whole % 12) + 12) % 12]}${Math.floor(whole / 12) - 1}`
}

/** A pitch in words: the nearest key and how far off it. */
export function told(key: number): string {
  const cents = Math.round(100 * (key - Math.round(key)))
  return cents === 0 ? keyName(key) : `${keyName(key)} ${cents > 0 ? '+' : '\u2212'}${Math.abs(cents)} cents`
}

export const keyOf = (hz: number) => 69 + 12 * Math.log2(hz / 440)

/** What the plan says of a note; undefined where it stays. A note found anew by other settings is the one that it overlaps the most. */
export const changeOf = (plan: Plan, note: Sung) =>
  (plan.notes ?? []).find((n) => Math.min(n.to, note.to) - Math.max(n.from, note.from) > 0.5 * (note.to - note.from))

export const usualChange = (note: Sung): Required<NoteOf> => ({
  from: Math.floor(note.from),
  to: Math.ceil(note.to) + 1,
  cents: 0,
  drift: 100,
  vibrato: 100,
})

/** The plan with something of a note changed; what then changes nothing goes. */
export function withNote(plan: Plan, note: Sung, part: Partial<Pick<NoteOf, 'cents' | 'drift' | 'vibrato'>>): Plan {
  const was = changeOf(plan, note)
  const now = { ...usualChange(note), ...was, ...part }
  const others = (plan.notes ?? []).filter((n) => n !== was)
  const changes = now.cents !== 0 || now.drift < 100 || now.vibrato < 100
  return { ...plan, notes: changes ? [...others, now].sort((a, b) => a.from - b.from) : others }
}

/** By how many cents a note lies off the nearest key, the other way: what takes it there. */
export const toNearest = (note: Sung) => Math.round(1000 * (Math.round(note.key) - note.key)) / 10

/** Cents that keep within what can be asked. */
export const within = (cents: number) => Math.max(-1200, Math.min(1200, cents))
