import { describe, expect, it } from 'vitest'
import type { Faults, FaultTrial, Layout, Proof, SoakView } from '@/api/client'
import { arranged, daysWords, errorLines, goingOn, hottest, likelyResults, proofWords, seenLayout } from './words'

const A = { capacity_gib: 8 } as never
const B = { capacity_gib: 4 } as never
const proof = (more: Partial<Proof>): Proof =>
  ({
    state: 'under way',
    seen: null,
    faults: null,
    soak: null,
    complete: false,
    items: ['lacking', 'against', 'there', 'waived'].map((state) => ({ state })),
    ...more,
  }) as Proof
const slots = (...seen: string[]) =>
  ({ comparison: { slots: seen.map((s, i) => ({ slot: `S${i}`, seen: s, found: null })) } }) as never

describe('what the path says of a proof', () => {
  it.each([
    [proof({ state: 'proved' }), 'proved'],
    [proof({ state: 'waived' }), 'on duty, not proved'],
    [proof({}), '2 lacking'],
    [proof({ seen: slots('right', 'right by its total', 'missing', 'not told') }), '1 slot not right'],
    [proof({ seen: { ...(slots('missing') as object), stale: true } as never }), '2 lacking'],
    [proof({ seen: slots('missing'), faults: { ended: null, culprit: '' } as never }), 'fault search'],
    [proof({ seen: slots('missing'), faults: { ended: null, culprit: 'slot A1' } as never }), 'culprit named'],
    [proof({ seen: slots('missing'), faults: { ended: 'x' } as never }), '1 slot not right'],
    [proof({ seen: slots('right'), soak: { state: { passed: null, days_left: 2.25 } } as never }), 'soak, 2.3 d left'],
    [proof({ seen: slots('right'), complete: true }), 'ready to sign off'],
  ])('%#', (given, words) => expect(proofWords(given)).toBe(words))

  it.each([
    [2.25, '2.3 d'],
    [0.5, '12 h'],
    [0.01, '14 min'],
  ])('%d days are %s', (days, words) => expect(daysWords(days)).toBe(words))
})

describe('what the board shows', () => {
  const goal: Layout = { A1: A, A2: A, B1: A, B2: A }
  it('lays what is right flat, draws what else was found, leaves out what is not seen', () => {
    const seen = ['right', 'missing', 'smaller', 'slower'].map((s, i) => ({
      slot: Object.keys(goal)[i],
      seen: s,
      found: s === 'smaller' ? B : null,
    }))
    expect(seenLayout(proof({ seen: { comparison: { slots: seen } } as never }), goal)).toEqual({ A1: A, B1: B, B2: A })
  })
  it('names modules by the slot they were planned for', () =>
    expect(arranged({ A1: 'B1', A2: 'nothing' }, goal)).toEqual({ A1: A }))
  it('offers what is likely after a boot: nothing, the same slots, where the suspects went', () => {
    const faults = { boots: [{ dark: ['A1', 'A2'] }] } as unknown as Faults
    const trial = {
      arrangement: { A1: 'B1', B1: 'A1', B2: 'B2' },
      moves: { A1: 'B1', B1: 'A1' },
    } as unknown as FaultTrial
    expect(likelyResults(faults, trial)).toEqual([[], ['A1'], ['B1']])
  })
})

describe('going on, or replacing a few at once', () => {
  const left = {
    boots: 12,
    minutes: 240,
    at_once: ['A1', 'A2'],
    odds: 0.94,
    going_on_cost: 200,
    at_once_cost: 62,
    at_once_is_cheaper: true,
    unpriced: '',
    currency: 'EUR',
  }
  it.each([
    [left, 'That is cheaper: 62.00 EUR against 200.00 EUR of hours'],
    [{ ...left, at_once_is_cheaper: false, at_once_cost: 300 }, 'Going on is cheaper: 300.00 EUR against'],
    [
      { ...left, at_once_cost: null, at_once_is_cheaper: null, unpriced: 'modules' },
      'Which is cheaper is not known: no offer',
    ],
    [
      { ...left, at_once_cost: null, going_on_cost: null, at_once_is_cheaper: null, unpriced: 'hours' },
      'no hour has a price yet',
    ],
    [{ ...left, at_once: [] }, 'About 12 more boots (4 h) until one is named.'],
  ])('%#', (given, words) => expect(goingOn(given, (s) => s.join(', '))).toContain(words))
})

describe('the soak over time', () => {
  const reading = (day: number, correctable: number | null, temperature_c: number | null = null) => ({
    day,
    slots: { A1: { correctable, uncorrectable: null, temperature_c } },
  })
  const soak = (...readings: ReturnType<typeof reading>[]) => ({ readings }) as unknown as SoakView
  it('counts from the first reading; a counter that went back began anew', () => {
    expect(errorLines(soak(reading(0, 5), reading(1, 7), reading(2, 1)))).toEqual([
      {
        slot: 'A1',
        points: [
          [0, 0],
          [1, 2],
          [2, 3],
        ],
      },
    ])
  })
  it('draws nothing of what is not counted, and the hottest of each reading', () => {
    expect(errorLines(soak(reading(0, null)))).toEqual([])
    expect(hottest(soak(reading(0, null, 40), reading(1, null), reading(2, null, 44)))).toEqual([
      [0, 40],
      [2, 44],
    ])
  })
})
