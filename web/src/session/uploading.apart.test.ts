import { beforeEach, describe, expect, it, vi } from 'vitest'

interface Sent {
  address: string
  name: string
  done: (job: string) => void
  fail: (why: string) => void
  part: (of: number) => void
  cancelled: boolean
}
let sent: Sent[]
let announced: string[]
let forgotten: string[]
/** What the server says to the next announcements, in order; an id where nothing is said. */
let answers: (Error & { status: number })[]

vi.mock('../api/uploads', () => ({
  announce: (_session: string, file: File) => {
    const refused = answers.shift()
    if (refused) return Promise.reject(refused)
    announced.push(file.name)
    return Promise.resolve(`/api/uploads/${file.name}`)
  },
  forget: (address: string) => {
    forgotten.push(address)
    return Promise.resolve()
  },
  send: (address: string, file: File, part: (of: number) => void) => {
    const one: Partial<Sent> = { address, name: file.name, part, cancelled: false }
    const done = new Promise<string>((yes, no) => {
      one.done = yes
      one.fail = (why) => no(new Error(why))
    })
    sent.push(one as Sent)
    return { done, cancel: () => void (one.cancelled = true) }
  },
}))
const { useUploads } = await import('./uploading')

const file = (name: string, bytes = 10) => new File([new Uint8Array(bytes)], name)
const settled = () => new Promise((go) => setTimeout(go, 0))
const refusal = (status: number, message: string) => Object.assign(new Error(message), { status })
const uploads = useUploads()
const states = () => uploads.list.map((u) => u.state)

beforeEach(async () => {
  ;[sent, announced, forgotten, answers] = [[], [], [], []]
  uploads.cancelAll()
  await settled()
  uploads.list.splice(0)
  forgotten = []
})

describe('files on their way', () => {
  it('are all announced, and two are sent at a time', async () => {
    uploads.add('s', [file('a'), file('b'), file('c')])
    await settled()
    expect(announced).toEqual(['a', 'b', 'c'])
    expect(sent.map((s) => s.name)).toEqual(['a', 'b'])
    expect(states()).toEqual(['sending', 'sending', 'waiting'])
    sent[0]!.done('job-a')
    await settled()
    expect(states()).toEqual(['sent', 'sending', 'sending'])
    expect(uploads.list[0]!.job).toBe('job-a')
    expect([uploads.sent.value, uploads.busy.value]).toEqual([1, true])
  })

  it('tell how much is here, by bytes', async () => {
    uploads.add('s', [file('small', 10), file('large', 30)])
    await settled()
    sent[1]!.part(0.5)
    expect(uploads.total.value).toBeCloseTo(15 / 40, 9)
    sent[0]!.done('j')
    sent[1]!.done('k')
    await settled()
    expect([uploads.total.value, uploads.busy.value]).toEqual([1, false])
  })

  it('say why one is refused, and go on with the others', async () => {
    answers = [refusal(422, '“a” is empty')]
    uploads.add('s', [file('a'), file('b')])
    await settled()
    expect(states()).toEqual(['failed', 'sending'])
    expect(uploads.list[0]!.message).toBe('“a” is empty')
    sent[0]!.fail('“b” could not be read')
    await settled()
    expect(uploads.list[1]).toMatchObject({ state: 'failed', message: '“b” could not be read' })
    // What failed does not count for what is here.
    expect(uploads.total.value).toBe(0)
  })

  it('are announced again while the server is away', async () => {
    vi.useFakeTimers()
    answers = [refusal(0, 'away')]
    uploads.add('s', [file('a')])
    await vi.advanceTimersByTimeAsync(0)
    expect([states(), uploads.list[0]!.away]).toEqual([['waiting'], true])
    await vi.advanceTimersByTimeAsync(3_000)
    expect([states(), uploads.list[0]!.away, announced]).toEqual([['sending'], false, ['a']])
    vi.useRealTimers()
  })

  it('go on where a page that was left had announced them', async () => {
    const known = { id: '7', file_name: 'a', bytes: 10, received: 4, idle_s: 60 }
    uploads.add('s', [file('a'), file('b')], [known] as never)
    await settled()
    expect(announced).toEqual(['b'])
    expect(sent[0]!.address).toBe('/api/uploads/7')
  })

  it('that are cancelled make room for the next, and the server forgets them', async () => {
    uploads.add('s', [file('a'), file('b'), file('c')])
    await settled()
    uploads.cancel(uploads.list[0]!)
    await settled()
    expect(states()).toEqual(['cancelled', 'sending', 'sending'])
    expect([sent[0]!.cancelled, forgotten]).toEqual([true, ['/api/uploads/a']])
    uploads.clear()
    expect(uploads.list.map((u) => u.name)).toEqual(['b', 'c'])
  })

  it('of a page that is gone are left, but not those that are being sent here', async () => {
    uploads.add('s', [file('a')])
    await settled()
    const all = [
      { id: '1', file_name: 'a', bytes: 10 },
      { id: '2', file_name: 'z', bytes: 10 },
    ]
    expect(uploads.left(all as never).map((u) => u.id)).toEqual(['2'])
  })
})
