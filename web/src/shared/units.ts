/** Quantities as text. Numbers come from the server in frames; here they are only written. */

import type { Steady } from './beats'

export type Unit = 'ms' | 'samples' | 'us' | 'distance' | 'note'

export const UNITS: { value: Unit; label: string }[] = [
  { value: 'ms', label: 'ms' },
  { value: 'samples', label: 'samples' },
  { value: 'us', label: 'µs' },
  { value: 'distance', label: 'distance' },
  { value: 'note', label: 'note value' },
]

/** What turns frames into other units: of the session. */
export interface Measure {
  rateHz: number
  speedMS: number
  /** Quarters a minute where bar 1 begins: what note values are told in. */
  bpm: number
  /** Where beats fall. */
  beats: readonly Steady[]
}

const MINUS = '\u2212'

/** A number with a real minus sign and a fixed number of decimals; never "−0". */
export function fixed(value: number, decimals: number): string {
  const text = Math.abs(value).toFixed(decimals)
  return (value < 0 && Number(text) !== 0 ? MINUS : '') + text
}

/** Frames without needless decimals. */
export function samples(frames: number): string {
  return Number.isInteger(frames) ? fixed(frames, 0) : fixed(frames, 2)
}

/** A span of frames in a unit. */
export function span(frames: number, unit: Unit, m: Measure): string {
  const seconds = frames / m.rateHz
  switch (unit) {
    case 'samples':
      return `${samples(frames)} samples`
    case 'us':
      return `${fixed(seconds * 1e6, 0)} µs`
    case 'distance':
      return distance(seconds * m.speedMS)
    case 'note':
      return note((seconds * m.bpm) / 60)
    default:
      return `${fixed(seconds * 1e3, 2)} ms`
  }
}

/** Metres, or centimetres below one. */
export function distance(metres: number): string {
  return Math.abs(metres) < 1 ? `${fixed(metres * 100, 1)} cm` : `${fixed(metres, 2)} m`
}

/** Quarter notes as a part of a whole note: "1/32" where it fits, else a decimal number of quarters. */
export function note(quarters: number): string {
  for (const d of [1, 2, 4, 8, 16, 32, 64, 128]) {
    if (Math.abs(Math.abs(quarters) - 4 / d) < 0.002) return `${quarters < 0 ? MINUS : ''}1/${d}`
  }
  return `${fixed(quarters, 4)} quarters`
}

/** A position: minutes, seconds, milliseconds. */
export function clock(frame: number, rateHz: number): string {
  const total = Math.round((Math.abs(frame) / rateHz) * 1000)
  const ms = total % 1000
  const s = Math.floor(total / 1000) % 60
  const min = Math.floor(total / 60000) % 60
  const h = Math.floor(total / 3600000)
  const two = (n: number) => String(n).padStart(2, '0')
  return `${frame < 0 && total > 0 ? MINUS : ''}${two(h)}:${two(min)}:${two(s)}.${String(ms).padStart(3, '0')}`
}

/** dBFS after AES17 (a full-scale sine is 0) of an RMS; null for silence. */
export function dbfs(rms: number): number | null {
  return rms > 0 ? 20 * Math.log10(rms * Math.SQRT2) : null
}

/** Bytes for people. */
export function bytes(n: number): string {
  if (n < 1000) return `${n} B`
  if (n < 1e6) return `${(n / 1e3).toFixed(0)} kB`
  return n < 1e9 ? `${(n / 1e6).toFixed(1)} MB` : `${(n / 1e9).toFixed(2)} GB`
}

/** An offset as typed: a number with a unit, or in the unit chosen without one; a note length ("1/32", dotted "1/8.", triplet
 * "1/8t"). Null when it cannot be read. */
export function parseOffset(text: string, m: Measure, unit: Unit = 'samples'): number | null {
  const clean = text.trim().replace(',', '.').replace(MINUS, '-').toLowerCase()
  const length = /^([+-]?)(\d+)\/(\d+)(\.|t)?$/.exec(clean)
  if (length) {
    const quarters = (4 * Number(length[2])) / Number(length[3])
    const part = length[4] === '.' ? 3 / 2 : length[4] === 't' ? 2 / 3 : 1
    const frames = ((quarters * part * 60) / m.bpm) * m.rateHz * (length[1] === '-' ? -1 : 1)
    return Number.isFinite(frames) ? frames : null
  }
  const found = /^([+-]?\d*\.?\d+)\s*(samples?|smp|ms|us|µs|s|cm|m|quarters?)?$/.exec(clean)
  if (!found) return null
  const value = Number(found[1])
  const quarter = 60 / m.bpm
  const seconds: Record<string, number> = {
    ms: 1e-3,
    us: 1e-6,
    µs: 1e-6,
    s: 1,
    cm: 0.01 / m.speedMS,
    m: 1 / m.speedMS,
    quarter,
    quarters: quarter,
  }
  const usual: Record<Unit, string> = { samples: 'samples', ms: 'ms', us: 'us', distance: 'm', note: 'quarters' }
  const factor = seconds[found[2] ?? usual[unit]]
  return Number.isFinite(value) ? (factor === undefined ? value : value * factor * m.rateHz) : null
}

/** A length as typed, in metres: "8 cm", "2,10 m", without a unit metres. Null when it cannot be read. */
export function parseLength(text: string): number | null {
  const clean = text.trim().replace(',', '.').replace(MINUS, '-').toLowerCase()
  const found = /^([+-]?\d*\.?\d+)\s*(mm|cm|m)?$/.exec(clean)
  if (!found) return null
  const value = Number(found[1]) * { mm: 0.001, cm: 0.01, m: 1 }[(found[2] ?? 'm') as 'mm' | 'cm' | 'm']
  return Number.isFinite(value) ? value : null
}

/** What cannot be read as an offset, in a sentence. */
export function noOffset(text: string): string {
  return `“${text}” is no offset. A number with samples, ms, µs, cm or m, or a note length such as 1/32; without a unit, the one chosen above.`
}

/** A stretch of time in every unit, and as the frequency whose period it is. */
export function stretchOf(frames: number, m: Measure): string {
  const seconds = Math.abs(frames) / m.rateHz
  const parts = [
    `${samples(Math.round(frames))} samples`,
    span(frames, 'ms', m),
    distance(seconds * m.speedMS),
    note((seconds * m.bpm) / 60),
  ]
  if (seconds > 0) parts.push(`${fixed(1 / seconds, seconds < 0.01 ? 0 : 1)} Hz`)
  return parts.join(' · ')
}
