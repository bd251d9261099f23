/** Work that is done one after the other, in the order it was asked for: each sees what the one before has changed. */
export function makeTurns() {
  let last: Promise<unknown> = Promise.resolve()
  return <T>(work: () => Promise<T>): Promise<T> => {
    const mine = last.then(work, work)
    last = mine.catch(() => undefined)
    return mine
  }
}

/** Pause in milliseconds after which a move is a decision of its own. */
export const SERIES_MS = 700

export interface Move {
  id: string
  by: number
  series: string
  label: string
}

/**
 * Moves by hand. What comes while one is being carried out is added up and sent after it; what comes within a moment belongs to
 * the same decision, so that a key that is held makes one.
 */
export function makeMoves(send: (move: Move) => Promise<unknown>, now: () => number = () => performance.now()) {
  const waiting: Move[] = []
  let running: Promise<void> | null = null
  let series = { id: '', name: '', total: 0, at: -Infinity }

  async function run(): Promise<void> {
    while (waiting.length > 0) {
      const move = waiting.shift()!
      if (move.by !== 0) await send(move)
    }
    running = null
  }

  function move(id: string, by: number, label: (total: number) => string): void {
    if (series.id !== id || now() - series.at > SERIES_MS) series = { id, name: crypto.randomUUID(), total: 0, at: 0 }
    series.total += by
    series.at = now()
    const last = waiting.at(-1)
    if (last?.series === series.name) {
      last.by += by
      last.label = label(series.total)
    } else waiting.push({ id, by, series: series.name, label: label(series.total) })
    running ??= run()
  }

  return {
    move,
    /** Something else was decided: what comes afterwards is a decision of its own. */
    end: () => void (series.at = -Infinity),
    /** Resolves once nothing waits; what comes afterwards is a decision of its own. */
    idle: async () => {
      series.at = -Infinity
      while (running) await running
    },
  }
}
