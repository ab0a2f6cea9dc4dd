// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import LabelEntry from './LabelEntry.vue'

/** The server's answers, given when a test says so: by the text that was asked about. */
let waiting: Map<string, (answer: Response) => void>
beforeEach(() => {
  waiting = new Map()
  vi.stubGlobal('fetch', async (request: Request) => {
    const { text } = (await request.json()) as { text: string }
    return new Promise<Response>((answer) => waiting.set(text, answer))
  })
})
afterEach(() => vi.unstubAllGlobals())

function decoded(text: string, gib: number | null): Response {
  const known =
    gib === null
      ? []
      : [{ field: 'capacity_gib', value: gib, from: 0, to: text.indexOf(' ') < 0 ? text.length : text.indexOf(' ') }]
  const body = {
    text,
    short: `${gib} GB`,
    module: { capacity_gib: gib, rails_v: [] },
    understood: known,
    not_understood: gib === null ? [{ from: 0, to: text.length }] : [],
    derived: [],
    contradictions: [],
    part: null,
    near: [],
  }
  return new Response(JSON.stringify(body), { headers: { 'Content-Type': 'application/json' } })
}
async function answer(text: string, gib: number | null): Promise<void> {
  await vi.waitFor(() => expect(waiting.has(text)).toBe(true))
  waiting.get(text)!(decoded(text, gib))
  await flushPromises()
}

describe('a label typed', () => {
  it('is placed as it says now, and not as it said a letter ago', async () => {
    const entry = mount(LabelEntry)
    const field = entry.get('input')
    await field.setValue('16GB')
    await field.setValue('16GB 2R')
    await field.trigger('keydown', { key: 'Enter' })
    await answer('16GB 2R', 16)
    await answer('16GB', 4) // late, and about what stands there no more
    expect(entry.emitted('place')).toEqual([[{ capacity_gib: 16, rails_v: [] }]])
    expect(entry.emitted('module')).toEqual([[{ capacity_gib: 16, rails_v: [] }]])
  })

  it('that tells nothing is not placed, and shows what was not understood', async () => {
    const entry = mount(LabelEntry)
    await entry.get('input').setValue('spoon')
    await answer('spoon', null)
    await entry.get('input').trigger('keydown', { key: 'Enter' })
    await flushPromises()
    expect(entry.emitted('place')).toBeUndefined()
    expect(entry.get('.under .odd').text()).toBe('spoon')
  })

  it('is empty again with Escape', async () => {
    const entry = mount(LabelEntry)
    await entry.get('input').setValue('16GB')
    await answer('16GB', 16)
    await entry.get('input').trigger('keydown', { key: 'Escape' })
    await flushPromises()
    expect(entry.get('input').element.value).toBe('')
    expect(entry.emitted('module')!.at(-1)).toEqual([null])
  })
})
