import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import type { DeskPatch } from '../api/client'
import { freshDesk, laneOf } from './deskRules'

const patches: DeskPatch[] = []
let answer: (patch: DeskPatch) => Promise<{ data?: unknown; error?: unknown; response: { ok: boolean; status: number } }>
const told: string[] = []

vi.mock('../shared/notice', () => ({ tellTrouble: (m: string) => told.push(m) }))
vi.mock('../api/client', async (original) => ({
  ...(await original<object>()),
  client: {
    PATCH: (_: string, { body }: { body: DeskPatch }) => {
      patches.push(body)
      return answer(body)
    },
  },
}))
const { makeDesk } = await import('./desk')

/** What a server would answer that lays the change over an untouched desk. */
const laid = (patch: DeskPatch) =>
  Promise.resolve({ data: { ...freshDesk(), ...(patch as object), lanes: patch.lanes ?? {} }, response: { ok: true, status: 200 } })

beforeEach(() => {
  vi.useFakeTimers()
  patches.length = told.length = 0
  answer = laid
})
afterEach(() => vi.useRealTimers())

describe('the desk', () => {
  it('is heard at once and sent once for changes that come together', async () => {
    const heard = vi.fn()
    const desk = makeDesk(() => 's', heard)
    desk.setLane('a', { muted: true })
    desk.setLane('b', { pan: -1 })
    desk.setListening({ mono: true })
    expect(heard).toHaveBeenCalledTimes(3)
    expect([laneOf(desk.state.value, 'a').muted, desk.listening.value.mono]).toEqual([true, true])
    expect(patches).toHaveLength(0)
    await vi.advanceTimersByTimeAsync(200)
    expect(patches).toHaveLength(1)
    expect(Object.keys(patches[0]!.lanes!)).toEqual(['a', 'b'])
    expect(patches[0]!.listening!.mono).toBe(true)
  })

  it('keeps what is not sent yet when the server tells of others', async () => {
    const desk = makeDesk(
      () => 's',
      () => undefined,
    )
    desk.setLane('a', { muted: true })
    desk.take({ ...freshDesk(), ruler: 'bars', lanes: { b: { ...laneOf(freshDesk(), 'b'), soloed: true } } })
    expect([laneOf(desk.state.value, 'a').muted, laneOf(desk.state.value, 'b').soloed, desk.state.value.ruler]).toEqual([
      true,
      true,
      'bars',
    ])
    // Also while it is under way.
    let done: (v: unknown) => void = () => undefined
    answer = (patch) => new Promise((resolve) => (done = () => void laid(patch).then(resolve)))
    await vi.advanceTimersByTimeAsync(200)
    desk.take(freshDesk())
    expect(laneOf(desk.state.value, 'a').muted).toBe(true)
    done(0)
    await vi.advanceTimersByTimeAsync(1)
    expect(laneOf(desk.state.value, 'a').muted).toBe(true)
  })

  it('says when a change is refused, and goes on', async () => {
    const desk = makeDesk(
      () => 's',
      () => undefined,
    )
    answer = () => Promise.resolve({ error: { message: 'there are eight colours' }, response: { ok: false, status: 422 } })
    desk.putGroup({ name: 'G', tracks: ['a'], colour: 9 })
    await vi.advanceTimersByTimeAsync(200)
    expect(told).toEqual(['there are eight colours'])
    answer = laid
    desk.setLane('a', { hidden: true })
    await vi.advanceTimersByTimeAsync(200)
    expect(patches).toHaveLength(2)
  })

  it('takes a loop away with one that ends where it begins', async () => {
    const desk = makeDesk(
      () => 's',
      () => undefined,
    )
    desk.setRange({ from: 10, to: 900, on: true, pre_roll_s: 1 })
    expect(desk.state.value.range?.to).toBe(900)
    desk.setRange(null)
    expect(desk.state.value.range).toBeNull()
    await vi.advanceTimersByTimeAsync(200)
    expect(patches[0]!.range).toMatchObject({ from: 0, to: 0 })
  })

  it('makes groups with a name of their own, in colours in turn, and dissolves them', () => {
    const desk = makeDesk(
      () => 's',
      () => undefined,
    )
    desk.putGroup({ name: 'One', tracks: ['a', 'b'] })
    desk.putGroup({ name: 'Two', tracks: ['b', 'c'] })
    const [one, two] = desk.groups.value
    expect([one!.tracks, two!.tracks, one!.colour, two!.colour, two!.together]).toEqual([['a'], ['b', 'c'], 0, 1, true])
    expect(one!.id).not.toBe(two!.id)
    desk.setGroup(two!.id, { muted: true })
    expect(desk.group('c')?.muted).toBe(true)
    desk.dissolve(two!.id)
    expect(desk.group('c')).toBeNull()
  })

  it('sends the last change before it is left, to the session it was of', async () => {
    let session = 'old'
    const desk = makeDesk(
      () => session,
      () => undefined,
    )
    desk.setLane('a', { muted: true })
    const sending = desk.flush()
    session = 'new'
    desk.reset()
    await sending
    expect(patches).toHaveLength(1)
    expect(laneOf(desk.state.value, 'a').muted).toBe(false)
  })
})
