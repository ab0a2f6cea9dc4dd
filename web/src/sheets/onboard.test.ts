import { describe, expect, it } from 'vitest'
import { channelsOf, orderAt, putOn, setsBy, touchSet } from './onboard'
import { blockOf, inWords } from './work'

describe('an order told by touching', () => {
  it.each([
    ['the first slot begins the first set', [], 'A1', false, [['A1']]],
    ['another joins it', [['A1']], 'B1', false, [['A1', 'B1']]],
    ['after a set is closed the next begins one', [['A1']], 'B1', true, [['A1'], ['B1']]],
    ['one that is in a set leaves it', [['A1', 'B1'], ['A2']], 'B1', false, [['A1'], ['A2']]],
    ['a set that nothing is left in is none', [['A1'], ['A2']], 'A1', true, [['A2']]],
  ])('%s', (_, sets, slot, begins, then) => expect(touchSet(sets, slot, begins)).toEqual(then))

  it('is taken from what slots have in common', () => {
    expect(setsBy(['A1', 'A2', 'B1'], (s) => s[1]!)).toEqual([['A1', 'B1'], ['A2']])
  })
  it.each([
    ['no entry yet', null, 0],
    ['an entry across sockets stands before it', [{ even_over: 'sockets' }, { fill: [['A1']] }], 1],
    ['only one across sockets', [{ even_over: 'sockets' }], 1],
    ['by count', [{ counts: { 1: [['A1']] } }], 0],
  ])('stands in its entry: %s', (_, value, index) => expect(orderAt(value).index).toBe(index))
})

describe('channels told by touching', () => {
  const channels = channelsOf({ A: ['A1', 'A2'], B: { socket: 'CPU1', slots: [] } })
  it('are blocks whichever way they were written', () =>
    expect(channels).toEqual({ A: { slots: ['A1', 'A2'] }, B: { socket: 'CPU1', slots: [] } }))
  it('take a slot off where it was', () =>
    expect(putOn(channels, 'A2', 'B')).toEqual({ A: { slots: ['A1'] }, B: { socket: 'CPU1', slots: ['A2'] } }))
  it('keep one that is touched again', () => expect(putOn(channels, 'A2', 'A')).toEqual(channels))
  it.each([[null], ['open'], [[]]])('are none in %j', (odd) =>
    expect(channelsOf(odd === 'open' ? null : odd)).toEqual({}),
  )
})

describe('an answer in few words', () => {
  it.each([
    [[2133, 2400], '2133, 2400'],
    [[['A1', 'B1'], ['A2']], 'A1 B1; A2'],
    [{ scope: 'machine', capacity_gib: 192, official: true, source: 'guide' }, 'machine, 192 GB, official, guide'],
    [{ ecc: false }, 'not ecc'],
    [{ x: { title: 'Heliant Brae' } }, 'Heliant Brae'],
    [null, ''],
  ])('%j', (value, words) => expect(inWords(value)).toBe(words))
  it.each([
    ['repeat.slots.tab', 'repeat'],
    ['repeat[1].channels', 'repeat[1]'],
    ['slots.tab', ''],
  ])('belongs to the block of its key: %s', (key, block) => expect(blockOf(key)).toBe(block))
})
