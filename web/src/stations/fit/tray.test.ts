import { expect, it } from 'vitest'
import type { Action, Board, Module, Shelf } from '@/api/client'
import { actionLines, comesOut, knownKinds, offerSources, shelfSources } from './tray'

const module = (gib: number, part: string | null = null) =>
  ({
    capacity_gib: gib,
    package_ranks: 1,
    device_width: 8,
    buffering: 'registered',
    rate_mts: 2400,
    rails_v: [1.2],
    part,
  }) as Module
const board = { slots: ['A', 'B', 'C', 'D', 'E'].map((id) => ({ id, printed: `P ${id}` })) } as unknown as Board
const act = (verb: Action['do'], source: string | null, target: string | null, m = module(16)): Action => ({
  do: verb,
  from: source,
  to: target,
  module: m,
})

it('tells actions in words, like ones together', () => {
  const lines = actionLines(board, [
    act('keep', 'E', 'E'),
    act('take-out', 'A', 'mat'),
    act('move', 'B', 'A', module(8)),
    act('put-in', 'mat', 'B'),
    act('put-in', null, 'C'),
    act('put-in', null, 'D'),
    act('take-out', 'E', null),
  ])
  expect(lines.map((l) => `${l.label}: ${l.words}`)).toEqual([
    'take out to the mat: 16 GB 1Rx8 R 2400 from P A',
    'move: 8 GB 1Rx8 R 2400, P B to P A',
    'put in back: 16 GB 1Rx8 R 2400 at P B',
    'put in: 2 x 16 GB 1Rx8 R 2400 at P C, P D',
    'take out: 16 GB 1Rx8 R 2400 from P E',
  ])
})

it('counts what comes out by kind, wherever its likes stay', () => {
  const out = comesOut({ A: module(16), B: module(16), C: module(8), D: 'unknown' }, { C: module(16) })
  expect(out.map((i) => [i.module.capacity_gib, i.count])).toEqual([
    [16, 1],
    [8, 1],
  ])
})

it('keeps one of every kind to take again', () => {
  expect(knownKinds({ A: module(16) }, { A: module(16), B: module(8) }, [module(4, 'X')])).toHaveLength(3)
})

it('offers what may be used: free modules first, suspect ones not, and the cheapest gigabyte first', () => {
  const stock = (id: string, state: string, free: number) => ({ id, state, free, count: 4, module: module(16, id) })
  const offer = (id: string, price: string, per_gb: string, kit: number) => ({
    id,
    price,
    per_gb,
    kit,
    module: module(16, id),
  })
  const shelf = {
    stock: [stock('taken', 'new', 0), stock('bad', 'suspect', 4), stock('some', 'pulled', 3)],
    offers: [offer('dear', '90', '5.6', 1), offer('kit', '200.5', '3.1', 4)],
  } as unknown as Shelf
  expect(shelfSources(shelf).map((s) => [s.key, s.note, s.left])).toEqual([
    ['some', '3 free', true],
    ['taken', 'all 4 reserved', false],
  ])
  expect(offerSources(shelf).map((o) => [o.key, o.note])).toEqual([
    ['kit', '200.50 for 4'],
    ['dear', '90.00'],
  ])
})
