import { onBeforeUnmount, useTemplateRef, watch, type ShallowRef, type WatchSource } from 'vue'
import { theme } from '../shared/theme'

/** A canvas to paint on, in CSS pixels; the backing store follows the device's pixels. */
export interface Surface {
  ctx: CanvasRenderingContext2D
  /** CSS pixels. */
  width: number
  height: number
  /** Device pixels a CSS pixel. */
  ratio: number
}

/**
 * Keeps the canvas that the template calls `name` sharp and paints at most once a frame. `sources` are watched; `dirty()` asks for
 * a paint by hand.
 */
export function useSurface(
  name: string,
  paint: (s: Surface) => void,
  sources: WatchSource[],
  timed = false,
): { canvas: Readonly<ShallowRef<HTMLCanvasElement | null>>; dirty: () => void } {
  const canvas = useTemplateRef<HTMLCanvasElement>(name)
  let asked = 0
  let observer: ResizeObserver | null = null

  function commit(): void {
    asked = 0
    const el = canvas.value
    const ctx = el?.getContext('2d')
    if (!el || !ctx) return
    const ratio = window.devicePixelRatio || 1
    const width = el.clientWidth
    const height = el.clientHeight
    const [w, h] = [Math.round(width * ratio), Math.round(height * ratio)]
    if (el.width !== w || el.height !== h) {
      el.width = w
      el.height = h
    }
    ctx.setTransform(ratio, 0, 0, ratio, 0, 0)
    ctx.clearRect(0, 0, width, height)
    const began = performance.now()
    if (width > 0 && height > 0) paint({ ctx, width, height, ratio })
    // Only a speed report asks for these.
    if (timed) window.__mareaPaint?.push(performance.now() - began)
  }

  function dirty(): void {
    if (!asked) asked = requestAnimationFrame(commit)
  }

  // The canvas may come later than the component, and come again as another: each follows the size of its box.
  watch(
    canvas,
    (el, was) => {
      observer ??= new ResizeObserver(dirty)
      if (was) observer.unobserve(was)
      if (el) observer.observe(el)
      dirty()
    },
    { flush: 'post', immediate: true },
  )
  onBeforeUnmount(() => {
    observer?.disconnect()
    cancelAnimationFrame(asked)
  })
  watch([theme, ...sources], dirty, { deep: false })
  return { canvas, dirty }
}
