import type { Surface } from '../plot/surface'
import { step } from '../plot/ticks'
import type { Palette } from '../shared/theme'
import { barsBeats, type Steady } from '../shared/beats'
import { clock, type Measure } from '../shared/units'
import { xOf, type Viewport } from './viewport'

export const RULER = 22
export type Ruler = 'clock' | 'bars' | 'samples'

/** A named place, and what is played again and again. */
export interface Marks {
  markers: readonly { frame: number; name: string }[]
  loop: { from: number; to: number; on: boolean } | null
}

/** Ticks with the clock, with bars and beats or with sample numbers; lines down through the lanes. */
export function paintRuler(s: Surface, p: Palette, v: Viewport, m: Measure, kind: Ruler): void {
  const { ctx } = s
  ctx.font = '11px "Source Code Pro", monospace'
  ctx.textBaseline = 'top'
  ctx.textAlign = 'left'
  ctx.strokeStyle = p.line
  for (const { frame, label } of ticksOf(v, m, kind, s.width)) {
    const x = Math.round(xOf(v, frame)) + 0.5
    ctx.beginPath()
    ctx.moveTo(x, 0)
    ctx.lineTo(x, s.height)
    ctx.stroke()
    ctx.fillStyle = p.soft
    ctx.fillText(label, x + 3, 4)
  }
}

/** Round places about 130 pixels apart. */
export function ticksOf(v: Viewport, m: Measure, kind: Ruler, width: number): { frame: number; label: string }[] {
  if (kind === 'bars') return beatTicks(v, m.beats, width)
  const unit = kind === 'clock' ? m.rateHz : 1
  const every = Math.max(step((width * v.framesPerPx) / unit, width / 130), kind === 'samples' ? 1 : 0)
  const made = []
  for (let i = Math.floor(v.start / unit / every); i * every * unit <= v.start + width * v.framesPerPx; i++) {
    const frame = i * every * unit
    if (xOf(v, frame) < -130) continue
    // Below a millisecond the clock has no more digits: the frame number is shown.
    const label = kind === 'samples' || every < 0.001 ? `${Math.round(frame)}` : clock(frame, m.rateHz).slice(3)
    made.push({ frame, label })
  }
  return made
}

/** The same on beats: each part of one tempo has its own distance between ticks. */
function beatTicks(v: Viewport, beats: readonly Steady[], width: number): { frame: number; label: string }[] {
  const [from, to] = [v.start - 130 * v.framesPerPx, v.start + width * v.framesPerPx]
  return beats.flatMap((part, i) => {
    const begins = i === 0 ? -Infinity : part.frame
    const ends = beats[i + 1]?.frame ?? Infinity
    const unit = part.frames_a_quarter
    const every = beatStep((width * v.framesPerPx) / unit, width / 130, part.quarters_a_bar)
    // Counted from a bar's beginning, so that ticks fall on bars and beats.
    const origin = part.frame - (part.quarter - part.bar_quarter) * unit
    // As many decimals as two neighbours need to differ.
    const decimals = every >= 1 ? 1 : Math.ceil(-Math.log10(every)) + 1
    const made = []
    for (let k = Math.floor((Math.max(from, begins) - origin) / unit / every); origin + k * every * unit <= Math.min(to, ends); k++) {
      const frame = origin + k * every * unit
      if (frame < Math.max(from, begins - 1e-6) || frame >= ends - 1e-6) continue
      made.push({ frame, label: barsBeats(frame + 1e-6, beats, decimals) })
    }
    return made
  })
}

/** Beats from one tick to the next: parts of a beat by halves, then half bars where they are whole beats, then bars by doubling. */
export function beatStep(beats: number, count: number, aBar: number): number {
  const wanted = beats / Math.max(count, 1)
  let every = 1 / 64
  while (every < wanted && every < 1) every *= 2
  if (every >= wanted) return every
  if (aBar % 2 === 0 && aBar / 2 >= wanted) return aBar / 2
  every = aBar
  while (every < wanted) every *= 2
  return every
}

/** Marks as flags and the loop as a band in the ruler. */
export function paintPlaces(s: Surface, p: Palette, v: Viewport, marks: Marks): void {
  const { ctx } = s
  if (marks.loop) {
    const [from, to] = [xOf(v, marks.loop.from), xOf(v, marks.loop.to)]
    ctx.fillStyle = marks.loop.on ? p.clear : p.soft
    ctx.fillRect(from, 0, Math.max(to - from, 1), 4)
    for (const x of [from, to]) ctx.fillRect(Math.round(x), 0, 1, s.height)
  }
  ctx.font = '11px "Source Sans 3", sans-serif'
  ctx.textBaseline = 'bottom'
  ctx.textAlign = 'left'
  for (const { frame, name } of marks.markers) {
    const x = Math.round(xOf(v, frame))
    if (x < -200 || x > s.width) continue
    ctx.fillStyle = p.depth
    ctx.fillRect(x, 5, 1, s.height)
    const width = ctx.measureText(name).width + 8
    ctx.fillRect(x, RULER - 14, width, 14)
    ctx.fillStyle = p.panel
    ctx.fillText(name, x + 4, RULER)
  }
}
