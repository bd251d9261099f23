/** Where one of many things lies on a plot, in CSS pixels. */
export interface Dot {
  x: number
  y: number
  /** Which one. */
  index: number
}
