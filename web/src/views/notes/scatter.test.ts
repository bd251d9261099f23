import { expect, it } from 'vitest'
import { keyName } from './scatter'

// Key 60 is C4, 69 is A4 at 440 Hz (MIDI 1.0 leaves the octave's number open; C4 for 60 is common practice).
it('names keys', () => {
  expect([60, 69, 21, 108, 0, 61].map(keyName)).toEqual(['C4', 'A4', 'A0', 'C8', 'C-1', 'C♯4'])
})
