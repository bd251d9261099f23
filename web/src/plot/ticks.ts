/** Round steps: 1, 2 or 5 times a power of ten, so that about `count` of them fill the span. */
export function step(span: number, count: number): number {
  const raw = Math.abs(span) / Math.max(count, 1)
  if (!(raw > 0) || !Number.isFinite(raw)) return 1
  const power = 10 ** Math.floor(Math.log10(raw))
  const rest = raw / power
  return power * (rest <= 1 ? 1 : rest <= 2 ? 2 : rest <= 5 ? 5 : 10)
}

/** Round values from `low` to `high`. */
export function ticks(low: number, high: number, count: number): number[] {
  const s = step(high - low, count)
  const out: number[] = []
  for (let i = Math.ceil(low / s - 1e-9); i * s <= high + s * 1e-9; i++) out.push(i * s)
  return out
}

/** 1, 2 and 5 of every decade between two frequencies. */
export function logTicks(low: number, high: number): number[] {
  const out: number[] = []
  for (let d = 10 ** Math.floor(Math.log10(low)); d <= high; d *= 10) {
    for (const k of [1, 2, 5]) if (d * k >= low && d * k <= high) out.push(d * k)
  }
  return out
}

/** A frequency as an axis says it. */
export function hertz(f: number): string {
  return f >= 1000 ? `${Math.round(f / 100) / 10}k` : `${Math.round(f)}`
}
