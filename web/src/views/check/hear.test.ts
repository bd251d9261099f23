import { describe, expect, it } from 'vitest'
import { hearable, heardWith } from './hear'
import type { CheckView, FindingView } from './useCheck'

const rows = [
  { home: 0, members: [0, 1] },
  { home: 2, members: [2] },
]
const check = { table: { rows } } as unknown as CheckView
const finding = (kind: string, tracks: number[], row: number | null = null) =>
  ({ finding: { kind, about: { tracks }, row } }) as unknown as FindingView

describe('hearing both polarities', () => {
  it('is offered where the polarity of a microphone is the question', () => {
    expect(hearable(finding('phase-turns', [1, 0]))).toBe(true)
    expect(hearable(finding('late', [1]))).toBe(false)
    expect(hearable(finding('wired-inverted', []))).toBe(false)
  })

  it('is beside the microphone named, else another one at the source, else the home of the source it shows on', () => {
    expect(heardWith(check, finding('phase-turns', [1, 2]))).toEqual([1, 2])
    expect(heardWith(check, finding('wired-inverted', [1]))).toEqual([1, 0])
    expect(heardWith(check, finding('wired-inverted', [3], 1))).toEqual([3, 2])
    expect(heardWith(check, finding('wired-inverted', [2], 1))).toBeNull()
  })
})
