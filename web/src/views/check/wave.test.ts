import { expect, test } from 'vitest'
import { wavePath } from './wave'

test('a waveform spans the box, upright or turned over', () => {
  expect(wavePath([0, 1, -1], false)).toBe('M0.0 22.0L60.0 2.0L120.0 42.0')
  expect(wavePath([0, 1, -1], true)).toBe('M0.0 22.0L60.0 42.0L120.0 2.0')
  expect(wavePath([], false)).toBe('')
})
