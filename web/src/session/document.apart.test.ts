import { afterEach, beforeEach, expect, it, vi } from 'vitest'
import { makeDocument } from './document'

const answers: (() => unknown)[] = []
vi.mock('../api/client', async (original) => ({
  ...(await original<object>()),
  client: { GET: () => null },
  ask: async () => answers.shift()?.(),
}))

const session = { session: { rate_hz: 48_000, anchor_id: null }, tracks: [] }
const away = () => {
  throw Object.assign(new Error('The database cannot be reached'), { status: 503 })
}

beforeEach(() => void vi.useFakeTimers())
afterEach(() => void vi.useRealTimers())

function opened() {
  const document = makeDocument({ read: () => {}, flush: async () => {} })
  document.id.value = 'a'
  return document
}

it('is read again by itself until the server answers, and says meanwhile that it is away', async () => {
  const document = opened()
  answers.push(
    () => session,
    away,
    away,
    () => session,
  )
  await document.reload()
  await document.reload()
  expect(document.away.value).toContain('cannot be reached')
  await vi.advanceTimersByTimeAsync(1_500)
  expect(document.away.value).toContain('cannot be reached')
  await vi.advanceTimersByTimeAsync(1_500)
  expect(document.away.value).toBeNull()
  expect(answers).toHaveLength(0)
})

it('says nothing of a session that was left meanwhile', async () => {
  const document = opened()
  answers.push(() => session, away)
  await document.reload()
  await document.reload()
  document.reset()
  document.id.value = 'b'
  await vi.advanceTimersByTimeAsync(5_000)
  expect([document.away.value, answers.length]).toEqual([null, 0])
})
