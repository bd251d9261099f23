import { createApp, h, nextTick, ref, withDirectives } from 'vue'
import { expect, it } from 'vitest'
import { vTyped } from './typed'

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
