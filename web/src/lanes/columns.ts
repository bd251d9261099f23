/** Columns that can be shown beside name, offset and polarity, in their order, with their widths in pixels. */
export const COLUMNS = {
  source: { label: 'Source', width: 84 },
  role: { label: 'Role', width: 58 },
  gain: { label: 'Gain', width: 46 },
  latency: { label: 'Latency', width: 62 },
  policy: { label: 'Policy', width: 84 },
  pan: { label: 'Pan', width: 38 },
  level: { label: 'Level', width: 42 },
} as const

export type Column = keyof typeof COLUMNS
export const COLUMN_NAMES = Object.keys(COLUMNS) as Column[]

export function shownColumns(wanted: readonly string[]): Column[] {
  return COLUMN_NAMES.filter((c) => wanted.includes(c))
}

/** The grid of a row's head, and its width. */
export function gridOf(columns: readonly string[]): { template: string; width: number } {
  const extra = shownColumns(columns).map((c) => COLUMNS[c].width)
  const fixedPart = [88, 22, ...extra, 40, 36, 24]
  // The name takes 106 pixels at least; grip, gaps and edges beside it.
  const width = 106 + 24 + fixedPart.reduce((a, b) => a + b, 0) + (fixedPart.length + 1) * 4 + 14
  return { template: `24px minmax(0, 1fr) ${fixedPart.map((w) => `${w}px`).join(' ')}`, width }
}
