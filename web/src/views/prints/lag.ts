import { axisX, axisY, frameOf, type Frame } from '../../plot/axes'
import type { Surface } from '../../plot/surface'
import { step, ticks } from '../../plot/ticks'
import type { Palette } from '../../shared/theme'
import { fixed, type Measure, type Unit } from '../../shared/units'
import type { Moving, PrintView, Way } from './usePrint'

export type Lag = NonNullable<PrintView['lag']>

/** What the axis counts in: samples where they are asked for, else milliseconds. */
export function lagScale(unit: Unit, m: Measure): { per: number; name: string } {
  return unit === 'samples' ? { per: 1, name: 'samples' } : { per: m.rateHz / 1000, name: 'ms' }
}

/** Session frame of a point. */
export function frameAt(lag: Lag, point: number): number {
  return lag.first_frame + point * lag.step_frames
}

/** Nearest point to a session frame. */
export function pointAt(lag: Lag, frame: number): number {
  const n = Math.round((frame - lag.first_frame) / lag.step_frames)
  return Math.max(0, Math.min(lag.lag_frames.length - 1, n))
}

/** First and last session frame that are drawn. */
export function spanOf(lag: Lag): { from: number; to: number } {
  const half = lag.step_frames / 2
  return { from: lag.first_frame - half, to: frameAt(lag, lag.lag_frames.length - 1) + half }
}

export interface Shown {
  view: PrintView
  lag: Lag
  /** The print's first frame in the session: where the straight line begins. */
  start: number
  unit: Unit
  measure: Measure
  moving: Moving
  /** The way that is heard or carried: its own line is drawn over the lag. */
  way: Way | 'recorded' | 'other'
  /** Session frame under the pointer or the keyboard. */
  at: number | null
  /** Session frame that is heard. */
  heard: number | null
}

/** The lag along time: what was measured as a band and a line, what was filled in dotted; the offset or the straight line that a way takes out. */
export function paintLag(s: Surface, p: Palette, { view, lag, start, unit, measure, moving, way, at, heard }: Shown): Frame {
  const { ctx } = s
  const f = frameOf(s, 52, 34)
  const { per, name } = lagScale(unit, measure)
  const [first, last] = [spanOf(lag).from, spanOf(lag).to]
  const x = (frame: number) => f.left + ((frame - first) / Math.max(1, last - first)) * (f.right - f.left)
  let [low, high] = [Math.min(...lag.least), Math.max(...lag.most)].map((v) => v / per) as [number, number]
  const room = Math.max((high - low) * 0.08, name === 'ms' ? 0.01 : 0.5)
  ;[low, high] = [low - room, high + room]
  const y = (frames: number) => f.top + ((high - frames / per) / (high - low)) * (f.bottom - f.top)
  const seconds = ticks(first / measure.rateHz, last / measure.rateHz, 9)
  const digits = (values: number[]) => (values.length > 1 ? Math.max(0, -Math.floor(Math.log10(values[1]! - values[0]!) + 1e-9)) : 0)
  axisX(s, f, p, { values: seconds, at: (v) => x(v * measure.rateHz), text: (v) => fixed(v, digits(seconds)), title: 's' })
  const each = ticks(low, high, Math.max(3, Math.min(9, Math.floor((f.bottom - f.top) / 34))))
  const places = Math.max(0, -Math.floor(Math.log10(step(high - low, 7)) + 1e-9))
  axisY(s, f, p, {
    values: each,
    at: (v) => y(v * per),
    text: (v) => fixed(v, places),
    title: `${moving === 'walker' ? 'second microphone later than the first' : 'print later than its send'}, ${name}`,
  })
  ctx.save()
  ctx.beginPath()
  ctx.rect(f.left, f.top, f.right - f.left, f.bottom - f.top)
  ctx.clip()
  const width = Math.max(1.2, x(frameAt(lag, 1)) - x(frameAt(lag, 0)))
  lag.measured.forEach((told, i) => {
    if (!told) return
    ctx.globalAlpha = 0.3
    ctx.fillStyle = p.depth
    const [top, bottom] = [y(lag.most[i]!), y(lag.least[i]!)]
    ctx.fillRect(x(frameAt(lag, i)) - width / 2, top, width, Math.max(bottom - top, 1))
  })
  ctx.globalAlpha = 1
  // What was measured is a line, what goes on as its neighbours do is dotted.
  for (const told of [true, false]) {
    ctx.setLineDash(told ? [] : [1.5, 3.5])
    ctx.strokeStyle = told ? p.depth : p.soft
    ctx.lineWidth = told ? 1.6 : 1.4
    ctx.beginPath()
    let drawn = false
    for (let i = 1; i < lag.lag_frames.length; i++) {
      const mine = (lag.measured[i - 1] && lag.measured[i]) === told
      if (mine && !drawn) ctx.moveTo(x(frameAt(lag, i - 1)), y(lag.lag_frames[i - 1]!))
      if (mine) ctx.lineTo(x(frameAt(lag, i)), y(lag.lag_frames[i]!))
      drawn = mine
    }
    ctx.stroke()
  }
  ctx.setLineDash([])
  if (way === 'offset' || way === 'drift') {
    const line = (frame: number) =>
      way === 'offset' ? (view.later_frames ?? 0) : view.line_frames + view.drift_ppm * 1e-6 * (frame - start)
    ctx.strokeStyle = p.land
    ctx.lineWidth = 2
    ctx.beginPath()
    ctx.moveTo(x(first), y(line(first)))
    ctx.lineTo(x(last), y(line(last)))
    ctx.stroke()
  } else if (way === 'map') {
    ctx.strokeStyle = p.land
    ctx.lineWidth = 1.2
    ctx.beginPath()
    lag.lag_frames.forEach((v, i) => (i === 0 ? ctx.moveTo(x(frameAt(lag, i)), y(v)) : ctx.lineTo(x(frameAt(lag, i)), y(v))))
    ctx.stroke()
  }
  const upright = (frame: number, colour: string, wide: number) => {
    ctx.strokeStyle = colour
    ctx.lineWidth = wide
    ctx.beginPath()
    ctx.moveTo(x(frame), f.top)
    ctx.lineTo(x(frame), f.bottom)
    ctx.stroke()
  }
  if (heard !== null) upright(heard, p.land, 2)
  if (at !== null) {
    upright(at, p.soft, 1)
    const i = pointAt(lag, at)
    ctx.fillStyle = p.ink
    ctx.beginPath()
    ctx.arc(x(frameAt(lag, i)), y(lag.lag_frames[i]!), 3.5, 0, 7)
    ctx.fill()
  }
  ctx.restore()
  ctx.lineWidth = 1
  return f
}
