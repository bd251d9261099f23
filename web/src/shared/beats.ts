import type { Schemas } from '../api/client'

/** A part of the session with one tempo and one metre, as the server gives it. */
export type Steady = Schemas['Steady']

/** The part in which a frame lies; the first reaches back before its beginning. */
export function partAt(beats: readonly Steady[], frame: number): Steady {
  let found = beats[0]!
  for (const part of beats) if (part.frame <= frame) found = part
  return found
}

/** Bars and beats, both counted from 1; of beats so many decimals. */
export function barsBeats(frame: number, beats: readonly Steady[], decimals = 1): string {
  const part = partAt(beats, frame)
  const since = part.quarter - part.bar_quarter + (frame - part.frame) / part.frames_a_quarter
  const bars = Math.floor(since / part.quarters_a_bar)
  const beat = since - bars * part.quarters_a_bar
  const parts = 10 ** decimals
  return `${part.bar + bars + 1} | ${(Math.floor(beat * parts) / parts + 1).toFixed(decimals)}`
}

/** Frames of a part from its beginning to so many quarters after the bar that it counts from. */
const frameOf = (part: Steady, since: number) => part.frame + (since - (part.quarter - part.bar_quarter)) * part.frames_a_quarter

/** The bar or the beat that begins nearest to a frame. */
export function nearestBeat(frame: number, beats: readonly Steady[], whole: 'bar' | 'beat'): number {
  const part = partAt(beats, frame)
  const since = part.quarter - part.bar_quarter + (frame - part.frame) / part.frames_a_quarter
  const unit = whole === 'bar' ? part.quarters_a_bar : 1
  const next = beats[beats.indexOf(part) + 1]
  const found = Math.round(frameOf(part, Math.round(since / unit) * unit))
  return next && found > next.frame ? next.frame : found
}

/** Where a bar begins that is typed as “12”, or one of its beats, as “12 | 3”; both count from 1. Null for anything else. */
export function frameOfBar(text: string, beats: readonly Steady[]): number | null {
  const found = /^\s*(\d+)\s*(?:[|.:]\s*(\d+))?\s*$/.exec(text)
  if (!found) return null
  const [bar, beat] = [Number(found[1]) - 1, Number(found[2] ?? 1) - 1]
  const at = (part: Steady) => frameOf(part, (bar - part.bar) * part.quarters_a_bar + beat)
  // The last part that has begun by then; one whose first bar comes later counts its beats in another metre.
  const begun = (p: Steady) =>
    bar >= p.bar + Math.floor((p.quarter - p.bar_quarter) / p.quarters_a_bar) && Math.round(at(p)) >= Math.floor(p.frame)
  const part = [...beats].reverse().find(begun) ?? beats[0]!
  const frame = Math.round(at(part))
  return beat < 0 || !Number.isFinite(frame) ? null : frame
}

/** One tempo for all of a session. */
export function oneTempo(framesAQuarter: number, quartersABar = 4, frame = 0): Steady[] {
  return [{ frame, quarter: 0, frames_a_quarter: framesAQuarter, bar: 0, bar_quarter: 0, quarters_a_bar: quartersABar }]
}
