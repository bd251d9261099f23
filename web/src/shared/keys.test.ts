import { createApp, defineComponent, h } from 'vue'
import { describe, expect, it, vi } from 'vitest'
import { keyActions, keyOf, setLetters, useKeys } from './keys'

function page(list: { key: string; label: string; run: () => void }[]) {
  const root = document.createElement('div')
  document.body.append(root)
  const app = createApp(
    defineComponent({
      setup() {
        useKeys('Here', list)
        return () => h('div', [h('input', { id: 'text' }), h('input', { id: 'tick', type: 'checkbox' }), h('button', { id: 'press' })])
      },
    }),
  )
  app.mount(root)
  return app
}

function press(on: string, key: string, more: KeyboardEventInit = {}): KeyboardEvent {
  const event = new KeyboardEvent('keydown', { key, bubbles: true, cancelable: true, ...more })
  ;(document.querySelector(on) ?? document.body).dispatchEvent(event)
  return event
}

describe('keys', () => {
  it('work on the page and never while typing', () => {
    const flip = vi.fn()
    const enter = vi.fn()
    const redo = vi.fn()
    const play = vi.fn()
    const app = page([
      { key: 'f', label: 'Flip', run: flip },
      { key: 'Enter', label: 'Apply', run: enter },
      { key: ' ', label: 'Play', run: play },
      { key: 'Ctrl+y', label: 'Redo', run: redo },
    ])
    press('body', 'f')
    press('body', 'F')
    press('#tick', 'f')
    expect(flip).toHaveBeenCalledTimes(3)
    press('#text', 'f')
    press('body', 'f', { altKey: true })
    press('body', 'f', { ctrlKey: true })
    expect(flip).toHaveBeenCalledTimes(3)
    press('#press', 'Enter')
    expect(enter).not.toHaveBeenCalled()
    // A control that was clicked gives its keys to the page; stepped to, it keeps them.
    const button = document.querySelector<HTMLElement>('#press')!
    button.dispatchEvent(new PointerEvent('pointerdown', { bubbles: true }))
    press('#press', 'Enter')
    expect(enter).toHaveBeenCalledTimes(1)
    expect(play).not.toHaveBeenCalled()
    press('#press', ' ')
    expect(play).toHaveBeenCalledTimes(1)
    press('#press', 'Tab')
    press('#press', ' ')
    press('#tick', ' ')
    expect(play).toHaveBeenCalledTimes(1)
    press('body', 'z', { ctrlKey: true, shiftKey: true })
    expect(redo).toHaveBeenCalledTimes(1)
    expect(keyActions().map((a) => a.label)).toEqual(['Flip', 'Apply', 'Play', 'Redo'])
    app.unmount()
    press('body', 'f')
    expect(flip).toHaveBeenCalledTimes(3)
    expect(keyActions()).toHaveLength(0)
  })
  it('of a single letter can be turned off, all others stay', () => {
    const [flip, undo, play] = [vi.fn(), vi.fn(), vi.fn()]
    const app = page([
      { key: 'f', label: 'Flip', run: flip },
      { key: 'Ctrl+z', label: 'Undo', run: undo },
      { key: ' ', label: 'Play', run: play },
    ])
    setLetters(false)
    press('body', 'f')
    press('body', 'z', { ctrlKey: true })
    press('body', ' ')
    expect([flip, undo, play].map((f) => f.mock.calls.length)).toEqual([0, 1, 1])
    setLetters(true)
    press('body', 'f')
    expect(flip).toHaveBeenCalledTimes(1)
    app.unmount()
  })
  it('are named alike on every system', () => {
    expect(keyOf(new KeyboardEvent('keydown', { key: 'Z', metaKey: true }))).toBe('Ctrl+z')
    expect(keyOf(new KeyboardEvent('keydown', { key: 'ArrowLeft' }))).toBe('ArrowLeft')
  })
})
