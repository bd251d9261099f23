import { createApp, h, nextTick, ref, withDirectives } from 'vue'
import { expect, it } from 'vitest'
import { typedNumber, vTyped } from './typed'

it('keeps what is being typed while the page moves, and follows otherwise', async () => {
  const [name, other] = [ref('Snare'), ref(0)]
  const root = document.body.appendChild(document.createElement('div'))
  const app = createApp(() => h('p', { title: other.value }, [withDirectives(h('input'), [[vTyped, name.value]])]))
  app.mount(root)
  const input = root.querySelector('input')!
  expect(input.value).toBe('Snare')
  input.focus()
  input.value = 'Snare to'
  other.value = 1
  await nextTick()
  expect(input.value).toBe('Snare to')
  input.blur()
  name.value = 'Caja'
  await nextTick()
  expect(input.value).toBe('Caja')
  app.unmount()
})

it('reads numbers as people write them, and nothing where there is none', () => {
  const number = (value: string) => {
    const input = document.createElement('input')
    input.value = value
    const event = new Event('change')
    input.dispatchEvent(event)
    return typedNumber(event)
  }
  expect(['4', ' 2,5 ', '\u22120.25', '-3', '1e2'].map(number)).toEqual([4, 2.5, -0.25, -3, 100])
  expect(['', '  ', 'soon', '1.2.3', 'Infinity'].map(number)).toEqual([null, null, null, null, null])
})
