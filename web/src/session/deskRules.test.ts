import { describe, expect, it } from 'vitest'
import { freshDesk, grouped, groupOf, laneOf, moved, ordered, rowsOf, sounding, usualLane, type Group } from './deskRules'

const tracks = ['a', 'b', 'c', 'd', 'e'].map((id) => ({ id }))
const group = (id: string, members: string[], part: Partial<Group> = {}): Group => ({
  id,
  name: id,
  colour: 0,
  tracks: members,
  folded: false,
  hidden: false,
  muted: false,
  soloed: false,
  together: true,
  ...part,
})
const shown = (desk: ReturnType<typeof freshDesk>) =>
  rowsOf(desk, tracks)
    .map((r) => (r.kind === 'group' ? `[${r.group.id}]` : r.track.id))
    .join(' ')

describe('order of lanes', () => {
  it('keeps the session’s order for those that nobody placed', () => {
    const desk = { ...freshDesk(), order: ['d', 'b'] }
    expect(
      ordered(desk, tracks)
        .map((t) => t.id)
        .join(''),
    ).toBe('dbace')
  })
  it('drops a lane before another or at the end, and loses none', () => {
    const ids = tracks.map((t) => t.id)
    expect(moved(ids, 'd', 'b').join('')).toBe('adbce')
    expect(moved(ids, 'a', null).join('')).toBe('bcdea')
    expect(moved(ids, 'a', 'b').join('')).toBe('abcde')
  })
})

describe('groups', () => {
  it('stand where their first member is, fold to their head, and hide with all they hold', () => {
    const desk = { ...freshDesk(), groups: [group('G', ['e', 'b'])] }
    expect(shown(desk)).toBe('a [G] b e c d')
    expect(shown({ ...desk, groups: [group('G', ['e', 'b'], { folded: true })] })).toBe('a [G] c d')
    expect(shown({ ...desk, groups: [group('G', ['e', 'b'], { hidden: true })] })).toBe('a c d')
    expect(shown({ ...desk, lanes: { e: { ...usualLane(), hidden: true }, c: { ...usualLane(), hidden: true } } })).toBe('a [G] b d')
  })
  it('take members from one another, and an empty one is gone', () => {
    const was = [group('G', ['a', 'b']), group('H', ['c'])]
    const now = grouped(was, group('I', ['b', 'c']))
    expect(now.map((g) => `${g.id}:${g.tracks.join('')}`)).toEqual(['G:a', 'I:bc'])
    expect(grouped(now, group('I', []))).toEqual([group('G', ['a'])])
    expect(groupOf({ ...freshDesk(), groups: now }, 'c')?.id).toBe('I')
  })
})

describe('what sounds', () => {
  it('is all but the muted, and only the soloed where there are any; a group counts for its members', () => {
    const ids = tracks.map((t) => t.id)
    const lane = (part: object) => ({ ...usualLane(), ...part })
    const desk = { ...freshDesk(), lanes: { b: lane({ muted: true }) }, groups: [group('G', ['c', 'd'])] }
    expect(sounding(desk, ids).join('')).toBe('acde')
    expect(sounding({ ...desk, groups: [group('G', ['c', 'd'], { muted: true })] }, ids).join('')).toBe('ae')
    expect(sounding({ ...desk, groups: [group('G', ['c', 'd'], { soloed: true })] }, ids).join('')).toBe('cd')
    // Solo wins over mute, as far as it reaches into what is listened to.
    const both = { ...desk, lanes: { b: lane({ muted: true, soloed: true }) } }
    expect(sounding(both, ids).join('')).toBe('b')
    expect(sounding(both, ['a', 'e']).join('')).toBe('ae')
  })
  it('gives a lane nobody touched the usual state', () => {
    expect(laneOf(freshDesk(), 'x')).toEqual({ height: 1, hidden: false, muted: false, soloed: false, pan: null, level_db: 0 })
  })
})
