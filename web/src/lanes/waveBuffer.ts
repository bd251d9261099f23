/** Columns of waveforms, written as device pixels and shown with one call: a path or a bar a column costs several times more. */
export class WaveBuffer {
  private readonly canvas = document.createElement('canvas')
  private readonly ctx = this.canvas.getContext('2d')
  private image: ImageData | null = null
  private pixels = new Uint32Array(0)
  private inks = new Map<string, number>()

  /** Empties the buffer for a paint of so many device pixels. */
  begin(width: number, height: number): void {
    if (!this.image || this.image.width !== width || this.image.height !== height) {
      this.canvas.width = width
      this.canvas.height = height
      this.image = new ImageData(Math.max(width, 1), Math.max(height, 1))
      this.pixels = new Uint32Array(this.image.data.buffer)
    } else this.pixels.fill(0)
  }

  /** "#rrggbb" with an opacity as a pixel (bytes in memory are red, green, blue, alpha). */
  ink(colour: string, alpha: number): number {
    const key = colour + alpha
    let made = this.inks.get(key)
    if (made === undefined) {
      const [r, g, b] = [1, 3, 5].map((i) => Number.parseInt(colour.slice(i, i + 2), 16))
      made = ((Math.round(alpha * 255) << 24) | ((b ?? 0) << 16) | ((g ?? 0) << 8) | (r ?? 0)) >>> 0
      this.inks.set(key, made)
    }
    return made
  }

  /** A column from `top` to `bottom`, at least one pixel, kept within two limits. Device pixels. */
  column(x: number, top: number, bottom: number, low: number, high: number, ink: number): void {
    const image = this.image
    if (!image || x < 0 || x >= image.width) return
    const from = Math.max(Math.round(top), low, 0)
    const to = Math.min(Math.max(Math.round(bottom), Math.round(top) + 1), high, image.height)
    for (let i = from * image.width + x, end = to * image.width; i < end; i += image.width) this.pixels[i] = ink
  }

  /** Shows what was written on a context in CSS pixels. */
  end(on: CanvasRenderingContext2D, ratio: number): void {
    if (!this.image) return
    this.ctx?.putImageData(this.image, 0, 0)
    on.drawImage(this.canvas, 0, 0, this.image.width / ratio, this.image.height / ratio)
  }
}
