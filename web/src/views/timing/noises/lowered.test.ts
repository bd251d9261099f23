import { expect, it } from 'vitest'
import { isLowered, loweredOf } from './lowered'

const stretch = (from: number, to: number, gain_db: number, invert = false) => ({
  from,
  to,
  besides: { offset_frames: 0, invert, gain_db },
})

it('tells what is lowered from repairs and from what another take is heard in', () => {
  const stretches = [stretch(0, 100, -10), stretch(200, 300, -144), stretch(400, 500, 0, true), stretch(600, 700, 3)]
  const track = { stretches, stretches_heard: stretches.map((s) => [s.from + 5, s.to + 5]) }
  expect(loweredOf(track).map((h) => [h.from, h.to, h.stretch.besides.gain_db])).toEqual([[5, 105, -10]])
})

it('knows a noise that is lowered already', () => {
  const stretches = [stretch(100, 200, -10)]
  expect([isLowered([stretch(0, 500, -144)], [100, 200]), isLowered([stretch(0, 500, -154)], [100, 200])]).toEqual([false, true])
  expect([isLowered(stretches, [150, 400]), isLowered(stretches, [200, 400]), isLowered([stretch(100, 200, 3)], [100, 200])]).toEqual([
    true,
    false,
    false,
  ])
})
