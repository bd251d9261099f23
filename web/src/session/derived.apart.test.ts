import { VueQueryPlugin } from '@tanstack/vue-query'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { createApp, nextTick, reactive, ref, watch } from 'vue'
import { useDerived, type Source } from './derived'
import { queryClient, readAgain } from './queries'

const store = reactive({ id: 's', jobs: new Map<string, { state: string; error?: string }>() })
vi.mock('./store', () => ({ useSession: () => store }))

const settled = () => new Promise((done) => setTimeout(done, 5))

function mounted<S, T>(source: Source<S, T>) {
  let got!: ReturnType<typeof useDerived<S, T>>
  const app = createApp({
    setup() {
      got = useDerived(source)
      return () => null
    },
  })
  app.use(VueQueryPlugin, { queryClient }).mount(document.createElement('div'))
  apps.push(app)
  return got
}
const apps: ReturnType<typeof createApp>[] = []

beforeEach(() => {
  queryClient.clear()
  store.jobs.clear()
})
afterEach(() => apps.splice(0).forEach((app) => app.unmount()))

describe('a result that the server measures', () => {
  it('is asked for once, and read when its job has moved the session', async () => {
    let there: string | null = null
    const begin = vi.fn(async () => 'job')
    const d = mounted({ kind: 'pair', what: 'It', subject: () => 'ab', read: async () => there, begin })
    await settled()
    expect([d.view.value, begin.mock.calls.length]).toEqual([null, 1])
    store.jobs.set('job', { state: 'running' })
    await nextTick()
    expect(d.job.value?.state).toBe('running')
    there = 'measured'
    readAgain('s')
    await settled()
    expect([d.view.value, d.current.value, d.job.value, begin.mock.calls.length]).toEqual(['measured', true, undefined, 1])
  })

  it('is read also when its job ended before the answer that names it was here', async () => {
    let there: string | null = null
    const begin = async () => {
      there = 'measured'
      store.jobs.set('job', { state: 'done' })
      readAgain('s')
      await settled()
      return 'job'
    }
    const d = mounted({ kind: 'image', what: 'It', subject: () => 'LR', read: async () => there, begin })
    await vi.waitFor(() => expect([d.view.value, d.current.value]).toEqual(['measured', true]), 3000)
  })

  it('is read again where it was measured between asking for it and beginning, and the last one stays in sight', async () => {
    const asked = ref(0)
    const results = new Map([[0, 'first']])
    const begin = async (of: number) => void results.set(of, 'second')
    const d = mounted<number, string>({
      kind: 'timing',
      what: 'It',
      subject: () => asked.value,
      of: () => 'set',
      read: async (of) => results.get(of),
      begin,
    })
    const seen: (string | null)[] = []
    watch(d.view, (view) => seen.push(view), { immediate: true })
    await settled()
    asked.value = 1
    await settled()
    expect([seen, d.current.value]).toEqual([[null, 'first', 'second'], true])
  })

  it('keeps the last one of the same thing in sight until the new one is there', async () => {
    const carried = ref(0)
    const tracks = ref('LR')
    const results = new Map([['LR0', 'first']])
    const d = mounted({
      kind: 'image',
      what: 'It',
      subject: () => ({ tracks: tracks.value, carried: carried.value }),
      of: (s) => s.tracks,
      read: async (s) => results.get(s.tracks + s.carried),
      begin: async () => 'job',
    })
    await settled()
    carried.value = 1
    await settled()
    expect([d.view.value, d.current.value]).toEqual(['first', false])
    results.set('LR1', 'second')
    readAgain('s')
    await settled()
    expect([d.view.value, d.current.value]).toEqual(['second', true])
    tracks.value = 'XY'
    await settled()
    expect(d.view.value).toBe(null)
  })

  it('stays what is asked for while the same is read again', async () => {
    let answer = (_: string) => {}
    const read = vi.fn(() => new Promise<string>((done) => (answer = done)))
    const d = mounted({ kind: 'pair', what: 'It', subject: () => 'ab', read })
    answer('measured')
    await settled()
    readAgain('s')
    await settled()
    expect([read.mock.calls.length, d.view.value, d.current.value]).toEqual([2, 'measured', true])
    answer('measured anew')
    await settled()
    expect([d.view.value, d.current.value]).toEqual(['measured anew', true])
  })

  it('that failed is told, and measured again only when somebody asks', async () => {
    const begin = vi.fn(async () => `job ${begin.mock.calls.length}`)
    const d = mounted({ kind: 'pair', what: 'It', subject: () => 'ab', read: async () => null, begin })
    await settled()
    store.jobs.set('job 1', { state: 'failed', error: 'no disk' })
    await nextTick()
    expect(d.trouble.value).toBe('no disk')
    readAgain('s')
    await settled()
    expect(begin).toHaveBeenCalledTimes(1)
    await d.again()
    expect(begin).toHaveBeenCalledTimes(2)
    expect(d.trouble.value).toBe('')
    store.jobs.set('job 2', { state: 'cancelled' })
    await nextTick()
    expect(d.trouble.value).toBe('It was cancelled.')
  })

  it('says what the server refuses, and asks for nothing while nothing is wanted', async () => {
    const wanted = ref(false)
    const read = vi.fn(async () => {
      throw new Error('refused')
    })
    const d = mounted({ kind: 'check', what: 'It', subject: () => (wanted.value ? true : null), read })
    await settled()
    expect([read.mock.calls.length, d.loaded.value]).toEqual([0, false])
    wanted.value = true
    await settled()
    expect([d.trouble.value, d.loaded.value]).toEqual(['refused', true])
  })
})
