import { describe, expect, it } from 'vitest'
import type { StockLine } from '@/api/client'
import { kindsOnHand } from './onhand'

const line = (given: Partial<StockLine> & { gib?: number }): StockLine =>
  ({
    words: '16 GB DDR5-4800 registered',
    part: 'HLV5R-16',
    state: 'new',
    count: 1,
    free: 1,
    reserved: [],
    module: { capacity_gib: given.gib ?? 16 },
    ...given,
  }) as unknown as StockLine
const kept = (machine: string, count = 1) => ({ machine, count, plan: 'p', plan_id: 'p', machine_id: 'm' })

describe('what is on hand', () => {
  it.each<[string, StockLine[], [number, string, string, boolean][]]>([
    ['nothing', [], []],
    [
      'of two parts that are called the same',
      [line({ count: 4, free: 4 }), line({ part: 'QD5R-16', count: 2, free: 2 })],
      [[6, '', 'free', true]],
    ],
    [
      'of which a plan wants some',
      [line({ count: 4, free: 1, reserved: [kept('hall-03', 3)] as never })],
      [[4, 'HLV5R-16', '1 free, 3 for hall-03', true]],
    ],
    [
      'of which three machines want all',
      [line({ count: 3, free: 0, reserved: ['a', 'b', 'c'].map((m) => kept(m)) as never })],
      [[3, 'HLV5R-16', '3 for a and b and 1 more', true]],
    ],
    [
      'wanted by a plan that leaves all of it free',
      [line({ count: 2, free: 2, reserved: [kept('a', 1)] as never })],
      [[2, 'HLV5R-16', 'free', true]],
    ],
    [
      'what may not be used stands last, and what goes back is no stock',
      [
        line({ state: 'suspect', gib: 64, count: 1 }),
        line({ state: 'to-return', count: 5 }),
        line({ state: 'pulled', gib: 8, words: '8 GB', part: null, count: 2, free: 2 }),
        line({ gib: 32, words: '32 GB' }),
      ],
      [
        [1, 'HLV5R-16', 'free', true],
        [2, '', 'free', true],
        [1, 'HLV5R-16', 'free', false],
      ],
    ],
  ])('%s', (_, stock, told) => {
    expect(kindsOnHand(stock).map((k) => [k.count, k.part, k.free, k.usable])).toEqual(told)
  })

  it('is not called free where the lines beside take it', () => {
    const stock = [
      line({ count: 4, free: 4 }),
      line({ part: 'QD5R-16', count: 2, free: 2 }),
      line({ words: '8 GB', part: null }),
    ]
    const told = (...used: [string, number][]) => kindsOnHand(stock, new Map(used)).map((k) => k.free)
    expect(told(['QD5R-16', 2])).toEqual(['2 used here', 'free'])
    expect(told(['QD5R-16', 2], ['HLV5R-16', 4])).toEqual(['all used here', 'free'])
  })
})
