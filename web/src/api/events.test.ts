import { afterEach, expect, it, vi } from 'vitest'
import { follow } from './events'

class Stream extends EventTarget {
  static all: Stream[] = []
  closed = false
  onopen: (() => void) | null = null
  onerror: (() => void) | null = null
  constructor(readonly url: string) {
    super()
    Stream.all.push(this)
  }
  close(): void {
    this.closed = true
  }
}
vi.stubGlobal('EventSource', Stream)
afterEach(() => Stream.all.splice(0))

const shown = (persisted: boolean) => Object.assign(new Event('pageshow'), { persisted })

it('gives its connection back while the page is left, and connects again when it comes back', () => {
  const changed = vi.fn()
  const stop = follow('s', { job: vi.fn(), changed, trouble: vi.fn() })
  window.dispatchEvent(shown(false))
  expect(Stream.all.length).toBe(1)
  window.dispatchEvent(new Event('pagehide'))
  expect(Stream.all[0]!.closed).toBe(true)
  window.dispatchEvent(shown(true))
  expect(Stream.all.map((s) => s.closed)).toEqual([true, false])
  Stream.all[1]!.dispatchEvent(new MessageEvent('changed', { data: '7' }))
  expect(changed).toHaveBeenCalledWith(7)
  stop()
  expect(Stream.all[1]!.closed).toBe(true)
  window.dispatchEvent(shown(true))
  expect(Stream.all.length).toBe(2)
})

it('says that the connection is lost, and when it is back', () => {
  const trouble = vi.fn()
  const stop = follow('s', { job: vi.fn(), changed: vi.fn(), trouble })
  Stream.all[0]!.onerror!()
  expect(String(trouble.mock.calls[0]![0])).toContain('is lost')
  Stream.all[0]!.onopen!()
  expect(trouble).toHaveBeenLastCalledWith(null)
  stop()
})
