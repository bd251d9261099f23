import { describe, expect, it } from 'vitest'
import { fakeSurface, INKS, rects, texts } from '../../../plot/fake'
import { freshPlan, withNote, type Found, type Plan } from './plan'
import { paintStaff } from './staff'

const note = (from: number, to: number, key: number, verdict: 'solid' | 'likely' = 'solid') => ({ from, to, key, verdict })

/** Two notes a third apart, and the pitch of both, 5 ms from one value to the next. */
const found: Found = {
  first: 0,
  step_frames: 240,
  hz: [...Array<number>(100).fill(261.63), ...Array<number>(100).fill(329.63)],
  sure: [...Array<number>(100).fill(2), ...Array<number>(100).fill(1)],
  notes: [note(0, 24_000, 60), note(24_000, 48_000, 64, 'likely')],
  made: [],
  fits: false,
}

function painted(plan: Plan = freshPlan('v'), range: [number, number] = [0, 48_000], chosen: number | null = null, height = 400) {
  const { s, calls } = fakeSurface(600, height)
  return { dots: paintStaff(s, INKS, { found, plan, rateHz: 48_000, chosen, range }), calls }
}

describe('a staff of semitones', () => {
  it('names the keys and puts the higher note higher', () => {
    const { dots, calls } = painted()
    expect(texts(calls)).toEqual(expect.arrayContaining(['C4', 'E4']))
    expect(dots.map((d) => d.index)).toEqual([0, 1])
    expect(dots[1]!.y).toBeLessThan(dots[0]!.y)
    expect(dots[1]!.x - dots[0]!.x).toBeCloseTo((600 - 10 - 44) / 2, 6)
  })

  it('names every other key where there is no room for all', () => {
    const keys = (height: number) => texts(painted(undefined, undefined, null, height).calls).filter((t) => /^[A-G]♯?\d$/.test(t)).length
    expect(keys(100)).toBeLessThan(keys(400))
  })

  it('fills what is solid more, and frames where a note goes', () => {
    const bars = rects(painted().calls).filter((r) => r.fill === INKS.shoal)
    expect(bars.map((b) => b.alpha)).toEqual([0.7, 0.35])
    const up = withNote(freshPlan('v'), found.notes[0]!, { cents: 100 })
    const frames = painted(up).calls.filter((c) => c.name === 'strokeRect')
    expect(frames).toHaveLength(1)
    const semitone = (painted().dots[0]!.y - painted().dots[1]!.y) / 4
    const [was, goes] = [rects(painted(up).calls).find((r) => r.fill === INKS.shoal)!.box[1], frames[0]!.args[1] as number]
    expect((was - goes) / semitone).toBeCloseTo(1, 1)
  })

  it('draws the pitch thick where it is solid, and no line from one note to the next', () => {
    const { calls } = painted()
    const strokes = calls.filter((c) => c.name === 'stroke' && c.stroke === INKS.depth)
    // 99 steps of each note; the leap of a third between them is none.
    expect(strokes).toHaveLength(198)
  })

  it('shows only what lies in the part that is looked at', () => {
    const { dots } = painted(undefined, [24_001, 48_000])
    expect(dots.map((d) => d.index)).toEqual([1])
  })
})
