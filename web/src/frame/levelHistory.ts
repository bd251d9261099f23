/** Correlation over the last 20 seconds of playing, in bars of a quarter second. */
export class LevelHistory {
  private static readonly BARS = 80
  private static readonly SECONDS = 0.25
  private values: (number | null)[] = []
  private sum = 0
  private weight = 0
  private filled = 0
  private last: number | null = null

  /** Adds a block once, however often it is seen while it sounds. */
  push(start: number, seconds: number, correlation: number | null): void {
    if (start === this.last) return
    this.last = start
    if (correlation !== null) {
      this.sum += correlation * seconds
      this.weight += seconds
    }
    this.filled += seconds
    if (this.filled < LevelHistory.SECONDS) return
    this.values.push(this.weight > 0 ? this.sum / this.weight : null)
    if (this.values.length > LevelHistory.BARS) this.values.shift()
    this.sum = this.weight = this.filled = 0
  }

  /** Seconds for which it has been below zero without a break, up to now. */
  opposedS(): number {
    let bars = 0
    while (bars < this.values.length && (this.values[this.values.length - 1 - bars] ?? 0) < 0) bars++
    return bars * LevelHistory.SECONDS
  }

  /** Eighty bars, newest last; null where nothing was heard. */
  bars(): (number | null)[] {
    return [...Array<null>(LevelHistory.BARS - this.values.length).fill(null), ...this.values]
  }
}
