import { describe, expect, it } from 'vitest'
import { parseLength } from '../../shared/units'
import { barOf, labelsOf, nextPoint, scaleOf, sounding, textsOn, type Point } from './stage'

function point(key: string, right_m: number, front_m: number, sure: [number, number] = [0.1, 0.1], turn_rad = 0): Point {
  return { key, what: 'source', name: key, index: 0, at: { right_m, front_m, up_m: 0, ellipse_m: sure, turn_rad }, typed: false }
}

describe('the chart of the stage', () => {
  it('is to scale in both directions, with the audience below', () => {
    const s = scaleOf([point('a', -4, -1), point('b', 4, 7)], 640, 480, 40)
    expect(s.x(1) - s.x(0)).toBeCloseTo(s.y(1) - s.y(0))
    expect(s.y(7)).toBeLessThanOrEqual(440.001)
    expect(s.y(-1)).toBeGreaterThanOrEqual(39.999)
    expect(s.y(7)).toBeGreaterThan(s.y(-1))
  })

  it('holds the ellipses, and one vague place does not make all others small', () => {
    const of = (sure: [number, number], turn = 0) => scaleOf([point('a', 0, 0, sure, turn), point('b', 0, 4)], 640, 480, 40)
    // The longer axis lies along front, two deviations of 0.3 m from the place at the back.
    expect(of([0.3, 0.1], Math.PI / 2).y(-0.6)).toBeCloseTo(40)
    expect(of([0.3, 0.1], 0).y(-0.2)).toBeCloseTo(40)
    expect(of([9, 9]).perM).toBeCloseTo(400 / 5.2)
  })

  it('shows a bar of round length', () => {
    expect(barOf(50, 120)).toBe(2)
    expect(barOf(400, 120)).toBe(0.2)
  })

  it('puts names where they cover each other as little as can be', () => {
    const crowd = Array.from({ length: 6 }, (_, i) => point(`Microphone ${i}`, 0.02 * i, 0.01 * i))
    const s = scaleOf(crowd, 640, 480, 40)
    const labels = labelsOf(crowd, s, 640, 480)
    const boxes = labels.map((l) => {
      const long = 12 * 6.2
      const left = l.x - (l.anchor === 'middle' ? long / 2 : l.anchor === 'end' ? long : 0)
      return [left, l.y - 5, left + long, l.y + 5] as const
    })
    const clash = boxes.flatMap((a, i) => boxes.slice(i + 1).filter((b) => a[0] < b[2] && b[0] < a[2] && a[1] < b[3] && b[1] < a[3]))
    expect(clash).toHaveLength(0)
  })

  it('leaves out a distance that would cover another one', () => {
    const points = [point('a', 0, 0), point('b', 0, 4), point('c', 0.01, 4)]
    const s = scaleOf(points, 640, 480, 40)
    const line = (to: number) => ({ from: { x: 320, y: 40 }, to: { x: to, y: 440 }, text: '4.00 m' })
    const none = textsOn([320, 322, 321, 319, 320.5, 318, 323].map(line), points, labelsOf(points, s, 640, 480), s)
    expect(none.filter((p) => p !== null).map((p) => Math.round(p.y))).toEqual([304, 240, 360, 180, 400, 120])
    expect(none[6]).toBe(null)
  })

  it('tells distances in the room, and how sure they are along the line', () => {
    const [a, b] = [point('a', 0, 0, [0.3, 0.01], 0), point('b', 0, 4, [0.4, 0.02], Math.PI / 2)]
    b.at.up_m = 3
    const s = sounding(a.at, b.at)
    expect(s.metres).toBeCloseTo(5)
    // The first is unsure to the right only, the second along the line.
    expect(s.deviation).toBeCloseTo(Math.hypot(0.01, 0.4))
  })

  it('steps to the next one in a direction', () => {
    const all = [point('a', 0, 0), point('b', 1, 0.1), point('c', 3, 0), point('d', 0, -2)]
    expect(nextPoint(all, all[0]!, 1, 0)?.key).toBe('b')
    expect(nextPoint(all, all[0]!, 0, -1)?.key).toBe('d')
    expect(nextPoint(all, all[2]!, 1, 0)).toBeNull()
  })
})

describe('a length', () => {
  it('is read in metres, centimetres or millimetres', () => {
    expect(parseLength('8 cm')).toBeCloseTo(0.08)
    expect(parseLength('2,10')).toBeCloseTo(2.1)
    expect(parseLength('−0.5 m')).toBeCloseTo(-0.5)
    expect(parseLength('85mm')).toBeCloseTo(0.085)
    expect(parseLength('about two')).toBeNull()
  })
})
