import { expect, it } from 'vitest'
import { sureness, type Sureness } from './sureness'

const all = (...verdicts: Sureness[]) => sureness(verdicts.map((verdict) => ({ verdict })))

it('is as sure as most of what is told, and never surer', () => {
  expect(all('solid', 'solid', 'likely')).toBe('solid')
  expect(all('solid', 'likely', 'likely')).toBe('likely')
  expect(all('likely', 'undecided')).toBe('likely')
  // What is undecided tells nothing, and takes nothing away.
  expect(all('solid', 'undecided', 'undecided')).toBe('solid')
  expect([all('undecided'), all()]).toEqual(['undecided', 'undecided'])
})
