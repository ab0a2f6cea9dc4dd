// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, describe, expect, it } from 'vitest'
import type { Layout } from '@/api/client'
import BoardView from './BoardView.vue'
import { madeBoard } from './made'

const module = { capacity_gib: 16, rails_v: [] } as unknown as Layout[string]
const mounted = () =>
  mount(BoardView, {
    props: { board: madeBoard(1, 2, 2), now: { 'P1.A1': module }, goal: { 'P1.A1': module }, interactive: true },
    attachTo: document.body,
  })
let view: ReturnType<typeof mounted>
afterEach(() => view.unmount())

const slot = (id: string) => view.get(`[data-slot="${id}"]`)
const focused = () => (document.activeElement as SVGElement | null)?.dataset.slot

describe('the board by keys', () => {
  it('takes one stop of the tab key and moves inside by arrows', async () => {
    view = mounted()
    expect(view.findAll('[data-slot][tabindex="0"]')).toHaveLength(1)
    ;(slot('P1.A1').element as SVGElement).focus()
    // Channels lie left and right of the socket, the far slots outside.
    for (const [key, there] of [
      ['ArrowLeft', 'P1.A2'],
      ['ArrowRight', 'P1.A1'],
      ['ArrowRight', 'P1.B1'],
      ['ArrowRight', 'P1.B2'],
      ['ArrowRight', 'P1.B2'],
    ] as const) {
      await slot(focused()!).trigger('keydown', { key })
      await flushPromises()
      expect(focused(), key).toBe(there)
    }
  })

  it('keeps the focus in a slot that is given another name', async () => {
    view = mounted()
    ;(slot('P1.B1').element as SVGElement).focus()
    await view.setProps({
      board: JSON.parse(JSON.stringify(madeBoard(1, 2, 2)).replaceAll('P1.', 'CPU1_')) as ReturnType<typeof madeBoard>,
    })
    await flushPromises()
    expect(focused()).toBe('CPU1_B1')
    // Where it is not on the board, a new name takes it from nobody.
    ;(document.activeElement as SVGElement).blur()
    await view.setProps({ board: madeBoard(1, 2, 2) })
    await flushPromises()
    expect(focused()).toBeUndefined()
  })

  it.each([
    ['Enter', 'enter', ['P1.B1']],
    [' ', 'mark', ['P1.B1']],
    ['Delete', 'remove', ['P1.B1']],
    ['Backspace', 'remove', ['P1.B1']],
    ['Escape', 'escape', []],
  ])('tells what %s means of the slot it is pressed in', async (key, event, told) => {
    view = mounted()
    await slot('P1.B1').trigger('keydown', { key })
    expect(view.emitted(event)).toEqual([told])
    // With a control key it is the browser's or the page's.
    await slot('P1.B1').trigger('keydown', { key, ctrlKey: true })
    expect(view.emitted(event)).toEqual([told])
  })

  it('says nothing where it is only looked at', async () => {
    view = mounted()
    await view.setProps({ interactive: false })
    for (const key of ['Enter', ' ', 'Delete', 'Escape']) await slot('P1.A1').trigger('keydown', { key })
    await slot('P1.A1').trigger('pointerdown', { button: 0 })
    expect(['enter', 'mark', 'remove', 'escape', 'grab'].flatMap((e) => view.emitted(e) ?? [])).toEqual([])
  })

  it('draws nearer and whole again', async () => {
    view = mounted()
    const box = () => view.get('svg').attributes('viewBox')!
    const whole = box()
    await slot('P1.A1').trigger('keydown', { key: '+' })
    expect(box()).not.toBe(whole)
    await slot('P1.A1').trigger('keydown', { key: '0' })
    expect(box()).toBe(whole)
  })
})
