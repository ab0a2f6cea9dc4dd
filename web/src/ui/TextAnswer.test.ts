// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, expect, it } from 'vitest'
import TextAnswer from './TextAnswer.vue'

const mounted = () => mount(TextAnswer, { props: { value: '480', label: 'at least' }, attachTo: document.body })
let field: ReturnType<typeof mounted>
afterEach(() => field.unmount())
const shown = () => field.get('input').element.value

it('keeps what is being typed when the value comes anew, answers it once, and follows the value where nobody types', async () => {
  field = mounted()
  field.get('input').element.focus()
  field.get('input').element.value = '478'
  await field.get('input').trigger('input')
  await field.setProps({ value: '512' })
  expect(shown()).toBe('478')
  await field.get('input').trigger('keydown', { key: 'Enter' })
  await field.get('input').trigger('change')
  field.get('input').element.blur()
  await flushPromises()
  expect(field.emitted('said')).toEqual([['478']])
  await field.setProps({ value: '478' })
  await field.setProps({ value: '640' })
  expect(shown()).toBe('640')
})
