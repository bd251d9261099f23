/** As the sentence above a plot shows it. */
export type Sureness = 'solid' | 'likely' | 'undecided'

/** Of this part of what was told for sure, a sentence about all of it is solid. */
const MOST = 0.5

/** How sure a sentence about many is: of hits or chords, each with its own verdict. */
export function sureness(all: readonly { verdict: Sureness }[]): Sureness {
  const told = all.filter((one) => one.verdict !== 'undecided')
  if (told.length === 0) return 'undecided'
  return told.filter((one) => one.verdict === 'solid').length >= MOST * told.length ? 'solid' : 'likely'
}
