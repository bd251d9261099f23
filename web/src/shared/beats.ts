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

/** One tempo for all of a session. */
export function oneTempo(framesAQuarter: number, quartersABar = 4, frame = 0): Steady[] {
  return [{ frame, quarter: 0, frames_a_quarter: framesAQuarter, bar: 0, bar_quarter: 0, quarters_a_bar: quartersABar }]
}
