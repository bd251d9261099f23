import { describe, expect, it } from 'vitest'
import { makeMoves, makeTurns, SERIES_MS, type Move } from './turns'

const tick = () => new Promise((go) => setTimeout(go, 0))

describe('turns', () => {
  it('come one after the other, also after one that failed', async () => {
    const inTurn = makeTurns()
    const seen: string[] = []
    const slow = inTurn(async () => {
      await tick()
      seen.push('first')
    })
    const broken = inTurn(() => Promise.reject(new Error('no')))
    const last = inTurn(async () => void seen.push('last'))
    await expect(broken).rejects.toThrow('no')
    await Promise.all([slow, last])
    expect(seen).toEqual(['first', 'last'])
  })
})

describe('moves', () => {
  function hands() {
    let time = 0
    const sent: Move[] = []
    const go: (() => void)[] = []
    const moves = makeMoves(
      (m) => {
        sent.push({ ...m })
        return new Promise<void>((done) => go.push(done))
      },
      () => time,
    )
    return { moves, sent, pass: (ms: number) => (time += ms), answer: async () => (go.splice(0).forEach((d) => d()), await tick()) }
  }

  it('lose no press of a held key and make one decision', async () => {
    const { moves, sent, pass, answer } = hands()
    for (let i = 0; i < 10; i++) {
      moves.move('a', 1, (t) => `by ${t}`)
      pass(33)
    }
    await answer()
    await answer()
    expect(sent.reduce((n, m) => n + m.by, 0)).toBe(10)
    expect(new Set(sent.map((m) => m.series)).size).toBe(1)
    expect(sent.at(-1)!.label).toBe('by 10')
    expect(sent.length).toBe(2)
  })
  it('of another track, or after a pause, are another decision', async () => {
    const { moves, sent, pass, answer } = hands()
    moves.move('a', 1, String)
    moves.move('b', 2, String)
    await answer()
    await answer()
    pass(SERIES_MS + 1)
    moves.move('b', -3, String)
    await answer()
    moves.end()
    moves.move('b', 5, String)
    await answer()
    expect(sent.map((m) => [m.id, m.by, m.label])).toEqual([
      ['a', 1, '1'],
      ['b', 2, '2'],
      ['b', -3, '-3'],
      ['b', 5, '5'],
    ])
    expect(new Set(sent.map((m) => m.series)).size).toBe(4)
  })
  it('that come to nothing before they are sent are not sent', async () => {
    const { moves, sent, answer } = hands()
    moves.move('a', 1, String)
    moves.move('a', 2, String)
    moves.move('a', -2, String)
    await answer()
    await answer()
    expect(sent.map((m) => m.by)).toEqual([1])
  })
  it('are waited for before something is taken back', async () => {
    const { moves, sent, answer } = hands()
    moves.move('a', 1, String)
    moves.move('a', 1, String)
    let idle = false
    void moves.idle().then(() => (idle = true))
    await answer()
    expect(idle).toBe(false)
    await answer()
    await tick()
    expect([idle, sent.length]).toEqual([true, 2])
    // What comes now is no part of what may just have been taken back.
    moves.move('a', 1, String)
    expect(sent[2]!.series).not.toBe(sent[1]!.series)
  })
})
