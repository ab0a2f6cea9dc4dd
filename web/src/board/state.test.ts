import { describe, expect, it } from 'vitest'
import type { Board, Layout, Module } from '@/api/client'
import {
  channelTotals,
  fittingLine,
  fittingLocator,
  fittingTitle,
  moduleLine,
  moduleWords,
  partlyKnown,
  slotName,
  slotStates,
} from './state'
import { gb } from '@/ui/figures'

const module = (over: Partial<Module> = {}) =>
  ({
    capacity_gib: 16,
    package_ranks: 2,
    device_width: 8,
    buffering: 'registered',
    generation: 'DDR4',
    rate_mts: 2400,
    ecc: true,
    rails_v: [1.2],
    ...over,
  }) as Module
const board = {
  slots: ['A', 'B', 'C', 'D', 'E', 'F'].map((id) => ({ id })),
  channels: [{ id: 'ch', slots: ['A', 'B', 'C'], soldered: module({ capacity_gib: 8 }) }],
} as unknown as Board

describe('slotStates', () => {
  const other = module({ capacity_gib: 32 })
  const now = { B: module(), C: module(), D: module(), F: 'unknown' as const }
  const goal = { A: module(), B: module(), C: other, F: 'unknown' as const }
  const states = slotStates(board, now, goal)
  it.each([
    ['A', 'planned', null],
    ['B', 'flat', null],
    ['C', 'planned', now.C],
    ['D', 'out', null],
    ['E', 'empty', null],
    ['F', 'unknown', null],
  ] as const)('%s is %s', (slot, look, replaces) => {
    expect(states.get(slot)).toMatchObject({ look, replaces })
  })
  it('names a slot in words', () => {
    expect(slotName('CPU2 F2', states.get('A')!, 'slow')).toBe(
      'CPU2 F2, planned, 16 GB DDR4 registered 2400 1.2 V, slow',
    )
    expect(slotName('A1', states.get('E')!)).toBe('A1, empty')
  })
})

it('tells the rails, or that nobody did', () => {
  expect(moduleWords(module({ generation: 'DDR3', rails_v: [1.35, 1.5] }))).toBe(
    '16 GB DDR3 registered 2400 1.35/1.5 V',
  )
  expect(moduleWords(module({ rails_v: [] }))).toContain('volts ?')
})

it('adds up channels with soldered memory', () => {
  expect(channelTotals(board, { A: module(), C: 'unknown' }).get('ch')).toBe(24)
  const layouts: Layout[] = [
    { A: module() },
    { A: module(), C: 'unknown' as const },
    { A: module({ capacity_gib: null }) },
    { A: module({ capacity_gib: null, keeps: 'NVDIMM-N' }) },
  ]
  expect(layouts.map((l) => partlyKnown(board, l).has('ch'))).toEqual([false, true, true, false])
})

it.each([
  [16, '16'],
  [0.5, '0.5'],
  [3.7842, '3.78'],
  [572.8171, '572.8'],
  [30, '30'],
  [null, '?'],
])('writes %s as %s', (value, words) => expect(gb(value)).toBe(words))

it.each([
  ['SLOT 1', 90, 'SLOT 1'],
  ['slot 3', 38, '3'],
  ['A1', 38, 'A1'],
])('the locator %s in %i units is %s', (locator, length, shown) =>
  expect(fittingLocator(locator, length, 1).text).toBe(shown),
)

it.each([
  [100, 1, '2Rx8 R 2400'],
  [100, 0.75, 'R 2400'],
  [40, 0.9, '2400'],
  [20, 1, ''],
])('a line in %i units at scale %f is “%s”', (length, scale, line) => {
  expect(fittingLine(module(), length, scale)).toBe(line)
  expect(moduleLine(module({ package_ranks: null, device_width: null, buffering: null }))).toBe('? 2400')
})

describe('fittingLocator', () => {
  it.each([
    ['A1', 40, 1, 'A', 0, 'A1', false],
    ['slot 12', 30, 1, '', 0, '12', false],
    ['D3', 38, 0.36, 'D', 0, '3', false],
    // Neither it nor what is left of it goes beside its neighbours': turned, or told by touch alone.
    ['D3', 38, 0.36, 'X', 0, '', false],
    ['D3', 42, 0.36, 'X', 60, 'D3', true],
    ['PROCDIMM12', 38, 1, '', 80, 'PROCDIMM12', true],
    ['PROCDIMM12', 38, 1, '', 40, '', false],
  ] as const)(
    '%s in %i units at scale %d, channel “%s”, %i below: %s',
    (locator, room, scale, channel, below, text, turned) => {
      expect(fittingLocator(locator, room, scale, channel, below)).toEqual({ text, turned })
    },
  )
})

describe('fittingTitle', () => {
  it.each([
    ['Heliant Corrie', 112, 1, ['Heliant Corrie']],
    ['Heliant Corrie 6338', 112, 1, ['Heliant Corrie', '6338']],
    ['A processor of a very long name indeed', 112, 1, ['A processor of', 'a very long n…']],
    ['Unbreakablelongprocessor', 112, 1, ['Unbreakablelo…']],
  ])('%s in %i units at scale %d', (title, width, scale, lines) => {
    const most = Math.max(...lines.map((l) => l.length))
    const shown = fittingTitle(title, width, scale)
    expect(shown).toHaveLength(lines.length)
    expect(Math.max(...shown.map((l) => l.length))).toBeLessThanOrEqual(Math.max(most, 16))
    expect(shown[0]!.startsWith(lines[0]!.slice(0, 10))).toBe(true)
  })
})
