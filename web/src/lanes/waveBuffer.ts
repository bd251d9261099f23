/** Columns of waveforms, written as device pixels and shown with one call: a path or a bar a column costs several times more. */
export class WaveBuffer {
  private image: ImageData | null = null
  private pixels = new Uint32Array(0)
  /** Four heights a column. */
  private band = new Int32Array(0)
  private inks = new Map<string, number>()

  /** Empties the buffer for a paint of so many device pixels. */
  begin(width: number, height: number): void {
    if (!this.image || this.image.width !== width || this.image.height !== height) {
      this.image = new ImageData(Math.max(width, 1), Math.max(height, 1))
      this.pixels = new Uint32Array(this.image.data.buffer)
      this.band = new Int32Array(4 * Math.max(width, 1))
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

  /** A pixel at a height, kept within two limits. Device pixels. */
  dot(x: number, y: number, low: number, high: number, ink: number): void {
    const image = this.image
    const at = Math.round(y)
    if (image && x >= 0 && x < image.width && at >= Math.max(low, 0) && at < Math.min(high, image.height))
      this.pixels[at * image.width + x] = ink
  }

  /** Column `x` of the band that is written next: `outer` and within it `inner`, each from its top to its bottom, the first at
   * least one pixel. Device pixels. */
  column(x: number, top: number, bottom: number, innerTop: number, innerBottom: number): void {
    const at = 4 * x
    const band = this.band
    band[at] = Math.round(top)
    band[at + 1] = Math.max(Math.round(bottom), Math.round(top) + 1)
    band[at + 2] = Math.round(innerTop)
    band[at + 3] = Math.max(Math.round(innerBottom), Math.round(innerTop) + 1)
  }

  /** Writes the columns from `from` to before `to`, kept within two limits. Row by row, which is several times faster
   * than column by column. */
  write(from: number, to: number, low: number, high: number, outer: number, inner: number): void {
    const image = this.image
    if (!image) return
    const { pixels, band } = this
    let first = Infinity
    let last = -Infinity
    for (let at = 4 * from; at < 4 * to; at += 4) {
      if (band[at]! < first) first = band[at]!
      if (band[at + 1]! > last) last = band[at + 1]!
    }
    const end = Math.min(last, high, image.height)
    for (let y = Math.max(first, low, 0); y < end; y++) {
      const row = y * image.width
      for (let x = from, at = 4 * from; x < to; x++, at += 4) {
        if (y < band[at]! || y >= band[at + 1]!) continue
        pixels[row + x] = y >= band[at + 2]! && y < band[at + 3]! ? inner : outer
      }
    }
  }

  /** Puts what was written in the place of everything on a canvas. */
  end(on: CanvasRenderingContext2D): void {
    if (this.image) on.putImageData(this.image, 0, 0)
  }
}
