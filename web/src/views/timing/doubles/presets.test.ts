import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { PRESETS } from './plan'
import { usePresets } from './presets'

const numbers = { strength: 60, slack_ms: 12, ratio: 1.4 }
let kept: Record<string, string>

beforeEach(() => {
  kept = {}
  vi.stubGlobal('localStorage', {
    getItem: (key: string) => kept[key] ?? null,
    setItem: (key: string, value: string) => void (kept[key] = value),
  })
})

afterEach(() => vi.unstubAllGlobals())

it('keeps numbers under a name, and the newest of a name', () => {
  const { own, keep } = usePresets()
  expect(keep({ name: ' Choir ', ...numbers })).toBe(true)
  expect(keep({ name: 'Choir', ...numbers, strength: 80 })).toBe(true)
  expect(own.value).toEqual([{ name: 'Choir', ...numbers, strength: 80 }])
  expect(usePresets().own.value).toEqual(own.value)
})

it('takes no name that is empty or taken by those that come with the program', () => {
  const { own, keep } = usePresets()
  expect([keep({ name: '  ', ...numbers }), keep({ name: PRESETS[0]!.name, ...numbers })]).toEqual([false, false])
  expect(own.value).toEqual([])
})

it('forgets one, and keeps twenty at most', () => {
  const { own, keep, forget } = usePresets()
  for (let n = 0; n < 25; n++) keep({ name: `n${n}`, ...numbers })
  expect([own.value.length, own.value[0]!.name]).toEqual([20, 'n5'])
  forget('n7')
  expect(own.value.some((p) => p.name === 'n7')).toBe(false)
})

it('reads nothing of what is damaged or out of bounds', () => {
  kept['marea.closeness'] = 'no JSON'
  expect(usePresets().own.value).toEqual([])
  kept['marea.closeness'] = JSON.stringify([
    { name: 'far', ...numbers, ratio: 9 },
    { name: '', ...numbers },
    null,
    { name: 'good', ...numbers },
  ])
  expect(usePresets().own.value.map((p) => p.name)).toEqual(['good'])
})

it('lasts as long as the page where the browser keeps nothing', () => {
  vi.stubGlobal('localStorage', {
    getItem: () => {
      throw new Error('refused')
    },
    setItem: () => {
      throw new Error('refused')
    },
  })
  const { own, keep } = usePresets()
  expect(keep({ name: 'Choir', ...numbers })).toBe(true)
  expect(own.value).toHaveLength(1)
})
