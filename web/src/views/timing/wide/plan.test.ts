import { expect, it } from 'vitest'
import { freshPlan, nextDrift, planKey, told, worstBand } from './plan'

const band = (hz: number, gain_db: number) => ({ hz, gain_db, level_db: -10 })

it('another drift is another plan, and after the last comes the first', () => {
  const plan = freshPlan('v')
  expect(planKey(nextDrift(plan))).not.toBe(planKey(plan))
  expect(nextDrift({ ...plan, drift: 999 }).drift).toBe(0)
})

it('says first whether the sum holds, and names the band that loses most', () => {
  const good = { bands: [band(63, 2.1), band(250, -0.8), band(1000, 0.1)], fine: true }
  expect(worstBand(good)?.hz).toBe(250)
  expect(told('Voice', good)).toBe('Holds in mono: at worst the band at 250 Hz loses 0.8 dB.')
  const bad = { bands: [band(63, -4.24), band(250, 1)], fine: false }
  expect(told('Voice', bad)).toMatch(/^Does not hold in mono: the band at 63 Hz loses 4.2 dB/)
  expect(told('Voice', { bands: [band(63, 2)], fine: true })).toContain('gains 2.0 dB')
})

it('has nothing to say of silence', () => {
  expect(told('Voice', { bands: [], fine: true })).toBe('Voice is silent: there is nothing to make wide.')
})
