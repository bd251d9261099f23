import { reactive } from 'vue'

/** Which part of the session is in view: shared by lanes, ruler and whatever follows them. */
export interface Viewport {
  /** Session frame at the left edge. */
  start: number
  framesPerPx: number
  /** Half a lane's height holds 1 / vertical of full scale. */
  vertical: number
  /** Width of the drawn part in CSS pixels. */
  width: number
  /** First and last frame of the session. */
  first: number
  last: number
}

/** Closest zoom: 40 pixels a sample. */
const CLOSEST = 1 / 40

export function makeViewport(): Viewport {
  return reactive({ start: 0, framesPerPx: 1000, vertical: 2, width: 800, first: 0, last: 48000 })
}

function widest(v: Viewport): number {
  return (Math.max(v.last - v.first, 1) / Math.max(v.width, 1)) * 1.02
}

export function showAll(v: Viewport): void {
  v.framesPerPx = widest(v)
  v.start = v.first - (v.last - v.first) * 0.01
}

/** Takes in how wide the picture is, in CSS pixels. Where the whole session is in view it stays so. */
export function resized(v: Viewport, width: number): void {
  if (width === v.width) return
  const whole = v.framesPerPx >= widest(v) * 0.999
  v.width = width
  if (whole) showAll(v)
}

/** Zooms by a factor (below 1: closer) so that what is under `x` stays there. */
export function zoomAt(v: Viewport, x: number, factor: number): void {
  const frame = v.start + x * v.framesPerPx
  v.framesPerPx = Math.min(Math.max(v.framesPerPx * factor, CLOSEST), Math.max(widest(v), CLOSEST))
  v.start = frame - x * v.framesPerPx
  keepInside(v)
}

/** Taller or lower waveforms, 1 to 64 times. */
export function stretch(v: Viewport, factor: number): void {
  v.vertical = Math.min(Math.max(v.vertical * factor, 1), 64)
}

export function panBy(v: Viewport, px: number): void {
  v.start += px * v.framesPerPx
  keepInside(v)
}

/** Shows a hit with so many frames before the attack; `reach` more have to be seen after it. */
export function showHit(v: Viewport, frame: number, room: number, reach: number): void {
  v.framesPerPx = (room + Math.max(4 * room, reach)) / Math.max(v.width, 1)
  v.start = frame - room
}

/** Frames before the attack: half a period of the lowest tone in view, of 60 Hz when it is not known. */
export function roomBefore(lowestHz: number | null | undefined, rateHz: number): number {
  return rateHz / (2 * (lowestHz ?? 60))
}

function keepInside(v: Viewport): void {
  const view = v.width * v.framesPerPx
  const low = v.first - view * 0.8
  const high = v.last - view * 0.2
  v.start = Math.min(Math.max(v.start, low), Math.max(high, low))
}

export function xOf(v: Viewport, frame: number): number {
  return (frame - v.start) / v.framesPerPx
}
