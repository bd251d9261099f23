import { afterEach, describe, expect, it, vi } from 'vitest'
import { follow } from './events'

/** Connections as a browser makes them, in the order in which they were made. */
class FakeSource extends EventTarget {
  static readonly CLOSED = 2
  static made: FakeSource[] = []
  readyState = 0
  onopen: (() => void) | null = null
  onerror: (() => void) | null = null
  constructor() {
    super()
    FakeSource.made.push(this)
  }
  close(): void {
    this.readyState = FakeSource.CLOSED
  }
  fail(state: number): void {
    this.readyState = state
    this.onerror?.()
  }
}

function followed() {
  FakeSource.made = []
  vi.useFakeTimers()
  vi.stubGlobal('EventSource', FakeSource)
  const on = { job: vi.fn(), changed: vi.fn(), trouble: vi.fn(), refused: vi.fn() }
  return { on, stop: follow('a session', on) }
}

afterEach(() => {
  vi.useRealTimers()
  vi.unstubAllGlobals()
})

describe('events of a session', () => {
  it('are asked for again where the browser gave up', () => {
    const { on, stop } = followed()
    FakeSource.made[0]!.fail(FakeSource.CLOSED)
    expect(on.refused).toHaveBeenCalledOnce()
    vi.advanceTimersByTime(5000)
    expect(FakeSource.made.length).toBe(2)
    FakeSource.made[1]!.dispatchEvent(new MessageEvent('changed', { data: '7' }))
    expect(on.changed).toHaveBeenCalledWith(7)
    stop()
  })

  it('are left to the browser while it tries by itself', () => {
    const { on, stop } = followed()
    FakeSource.made[0]!.fail(0)
    vi.advanceTimersByTime(60_000)
    expect([FakeSource.made.length, on.refused.mock.calls.length]).toEqual([1, 0])
    expect(on.trouble).toHaveBeenCalledWith(expect.stringContaining('trying again'))
    stop()
  })

  it('give their connection back while the page is left, and come again with it', () => {
    const { on, stop } = followed()
    const shown = (persisted: boolean) => Object.assign(new Event('pageshow'), { persisted })
    const closed = () => FakeSource.made.map((s) => s.readyState === FakeSource.CLOSED)
    window.dispatchEvent(shown(false))
    expect(closed()).toEqual([false])
    window.dispatchEvent(new Event('pagehide'))
    expect(closed()).toEqual([true])
    window.dispatchEvent(shown(true))
    expect(closed()).toEqual([true, false])
    FakeSource.made[1]!.dispatchEvent(new MessageEvent('changed', { data: '7' }))
    expect(on.changed).toHaveBeenCalledWith(7)
    stop()
    expect(closed()).toEqual([true, true])
    window.dispatchEvent(shown(true))
    expect(FakeSource.made.length).toBe(2)
  })

  it('say that the connection is lost, and when it is back', () => {
    const { on, stop } = followed()
    FakeSource.made[0]!.fail(0)
    expect(on.trouble).toHaveBeenLastCalledWith(expect.stringContaining('is lost'))
    FakeSource.made[0]!.onopen!()
    expect(on.trouble).toHaveBeenLastCalledWith(null)
    stop()
  })

  it('end with the page that followed them, also between two tries', () => {
    const { stop } = followed()
    FakeSource.made[0]!.fail(FakeSource.CLOSED)
    stop()
    vi.advanceTimersByTime(60_000)
    expect(FakeSource.made.length).toBe(1)
  })
})
