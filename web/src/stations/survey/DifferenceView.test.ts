// @vitest-environment happy-dom
import { flushPromises, mount } from '@vue/test-utils'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { createVuetify } from 'vuetify'
import type { Intake, MachineView, SlotDifference } from '@/api/client'
import { madeBoard } from '@/board/made'
import DifferenceView from './DifferenceView.vue'

const one = (slot: string, change: SlotDifference['change']): SlotDifference =>
  ({ slot, change, known: null, reported: null, merged: null, members: [], learnt: [] }) as unknown as SlotDifference
let asked: { path: string; body: Record<string, unknown> }[]
let refuse: boolean
let slots: SlotDifference[]
let facts: object[]
beforeEach(() => {
  asked = []
  refuse = false
  facts = [
    { fact: 'firmware', known: '1', reported: '2' },
    { fact: 'serial', known: 'S-1', reported: 'S-2' },
  ]
  slots = [one('P1.A1', 'fills-in'), one('P1.A2', 'differs'), one('P1.B1', 'comes'), one('P1.B2', 'goes')]
  vi.stubGlobal('fetch', async (request: Request) => {
    const path = new URL(request.url).pathname.split('/').at(-1)!
    asked.push({ path, body: (await request.json()) as Record<string, unknown> })
    const json = (body: unknown, status = 200) =>
      new Response(JSON.stringify(body), { status, headers: { 'Content-Type': 'application/json' } })
    if (path === 'difference') {
      return json({
        revision: 4,
        reports: {},
        slots,
        facts,
        failed: [],
        unplaced: [
          { index: 7, locator: 'DIMM_X', bank: null },
          { index: 8, locator: 'DIMM_Y', bank: null },
        ],
        unreported: ['P1.A1'],
      })
    }
    return refuse
      ? json({ type: 'x', title: 'x', status: 409, detail: 'Surveyed again meanwhile.' }, 409)
      : json({ id: 'm' })
  })
})
afterEach(() => vi.unstubAllGlobals())

const machine = { id: 'm', board: madeBoard(1, 2, 2) } as unknown as MachineView
const intake = {
  id: 'i',
  source_name: 'a report',
  reading: {
    kind: 'smbios',
    warnings: [],
    arrays: [],
    slots: Array.from({ length: 9 }, (_, i) => ({ state: i === 8 ? 'unknown' : 'filled', module: null })),
  },
} as unknown as Intake
async function shown() {
  const view = mount(DifferenceView, { props: { machine, intake }, global: { plugins: [createVuetify()] } })
  await flushPromises()
  return view
}
const taken = (view: Awaited<ReturnType<typeof shown>>) =>
  view
    .findAll('input[type=checkbox]')
    .filter((x) => (x.element as HTMLInputElement).checked)
    .map((x) => x.attributes('aria-label'))
const keep = async (view: Awaited<ReturnType<typeof shown>>) => {
  await view
    .findAll('button')
    .find((b) => b.text() === 'Keep this survey')!
    .trigger('click')
  await flushPromises()
}

describe('what a report says beside what is known', () => {
  it('takes over what only adds, and leaves what contradicts to the person', async () => {
    const view = await shown()
    expect(taken(view)).toEqual(['Take over the firmware', 'Take over P1.B1', 'Take over P1.A1'])
    await view.get('[aria-label="Take over P1.A2"]').setValue(true)
    await view.get('[aria-label="Take over P1.B1"]').setValue(false)
    await keep(view)
    const { path, body } = asked.at(-1)!
    expect([path, body.revision, (body.slots as string[]).sort(), body.facts]).toEqual([
      'acceptance',
      4,
      ['P1.A1', 'P1.A2'],
      ['firmware'],
    ])
    expect(view.emitted('saved')).toEqual([[{ id: 'm' }]])
  })

  it('asks for the slot of what tells something, and keeps nothing that is of no slot', async () => {
    slots = []
    facts = []
    const view = await shown()
    expect(view.findAll('.unplaced li').map((x) => x.find('.mono').text())).toEqual(['DIMM_X'])
    expect(
      view
        .findAll('button')
        .find((b) => b.text() === 'Keep this survey')!
        .attributes('disabled'),
    ).toBeDefined()
    expect(view.text()).toContain('Say first which slot each is.')
  })

  it('takes all or none at a press', async () => {
    const view = await shown()
    const press = (words: string) =>
      view
        .findAll('button')
        .find((b) => b.text() === words)!
        .trigger('click')
    await press('Take all')
    expect(taken(view)).toHaveLength(6)
    await press('Take none')
    expect(taken(view)).toEqual([])
  })

  it('keeps what was decided when another report is given its slot', async () => {
    const view = await shown()
    await view.get('[aria-label="Take over P1.A2"]').setValue(true)
    await view.get('[aria-label="Take over P1.A1"]').setValue(false)
    slots = [...slots, one('P1.C1', 'comes')]
    await view.get('[aria-label="Slot of DIMM_X"]').setValue('P1.A1')
    await flushPromises()
    expect(asked.at(-1)!.body.reports).toEqual({ 'P1.A1': 7 })
    expect(taken(view).slice().sort()).toEqual([
      'Take over P1.A2',
      'Take over P1.B1',
      'Take over P1.C1',
      'Take over the firmware',
    ])
  })

  it('says when the machine was surveyed meanwhile, and shows the difference anew', async () => {
    const view = await shown()
    refuse = true
    await keep(view)
    expect(view.get('[role=alert]').text()).toBe('Surveyed again meanwhile.')
    expect(asked.at(-1)!.path).toBe('difference')
    expect(view.emitted('saved')).toBeUndefined()
  })
})
