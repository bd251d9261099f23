/** An SVG path in a box of 120 × 44 for values of −1 … 1. */
export function wavePath(wave: number[], flip: boolean): string {
  const [width, middle, reach] = [120, 22, 20]
  const step = width / Math.max(wave.length - 1, 1)
  return wave.map((v, i) => `${i === 0 ? 'M' : 'L'}${(i * step).toFixed(1)} ${(middle - (flip ? -v : v) * reach).toFixed(1)}`).join('')
}
