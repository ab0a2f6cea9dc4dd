import { describe, expect, it } from 'vitest'
import type { Brief, Buying, BuyingLine, Order } from '@/api/client'
import { besideOf, bySupplier, isLate, perGb, standing, takeWords, waitsWords } from './buying'

const take = (kits: number, kit: number, price: string, part = 'AB-8') =>
  ({
    part,
    supplier: 'Quay',
    kits,
    kit,
    modules: kits * kit,
    price_of_kit: '1',
    price,
    lead_days: 1,
  }) as BuyingLine['takes'][number]
const line = (takes: BuyingLine['takes'], left_over: number) =>
  ({ part: 'AB-8', takes, left_over }) as unknown as BuyingLine

it('says kits, other parts and what is left over once', () => {
  const [one, other] = [take(1, 4, '40'), take(3, 1, '36', 'CD-8')]
  const bought = line([one, other], 2)
  expect([takeWords(one, bought), takeWords(other, bought)]).toEqual(['1 kit of 4', '3 modules, CD-8; 2 left over'])
  expect(takeWords(one, line([one], 0))).toBe('1 kit of 4')
})
it('tells what a GB costs where the size is known', () => {
  expect([perGb(take(1, 4, '40'), 8), perGb(take(1, 1, '40'), null)]).toEqual(['1.25 a GB', ''])
})
it('puts together what is bought of each supplier', () => {
  const buying = {
    lines: [line([take(1, 4, '40'), { ...take(2, 1, '90'), supplier: 'Sund' }], 0), line([take(1, 1, '9')], 0)],
  } as Buying
  expect(bySupplier(buying)).toEqual([
    { supplier: 'Sund', modules: 2, cost: 90 },
    { supplier: 'Quay', modules: 5, cost: 49 },
  ])
})
it.each([
  [{ pending: 3, modules: 4, days_late: 2, due_on: '2026-11-03', closed: false }, '3 of 4 to come, 2 days late'],
  [{ pending: 3, modules: 4, days_late: 0, due_on: '2026-12-03', closed: false }, '3 of 4 to come, due 2026-12-03'],
  [{ pending: 0, modules: 4, days_late: 0, due_on: null, closed: false }, 'all here'],
  [{ pending: 1, modules: 4, days_late: 0, due_on: null, closed: true }, '1 never came'],
])('says how an order stands', (order, words) => expect(standing(order as Order)).toBe(words))
it.each([
  [{ modules: 12, due_on: '2999-12-03' }, 'waits for 12 modules, due 3 Dec', false],
  [{ modules: 1, due_on: '2001-01-09' }, 'waits for 1 module, late since 9 Jan', true],
  [{ modules: 2, due_on: null }, 'waits for 2 modules, nobody said when', false],
])('says what a plan waits for', (waits, words, late) =>
  expect([waitsWords(waits), isLate(waits)]).toEqual([words, late]),
)

describe('what is judged beside a line', () => {
  const v = (...words: string[]) => words.map((w) => ({ words: w, comes_to: 'so' }))
  const brief = (as_well: string[], nearly: string[], wrong: string[], open = 0) =>
    ({
      lines: [{ words: '2 × 8 GB X', as_well: v(...as_well), nearly: v(...nearly), wrong: v(...wrong) }],
      open: Array(open).fill('?'),
    }) as unknown as Brief
  const wanted = (...plans: string[]) =>
    ({ words: '8 GB X', needs: plans.map((plan_id) => ({ plan_id })) }) as BuyingLine
  const told = (line: BuyingLine, briefs: Record<string, Brief>) => {
    const all = besideOf(line, new Map(Object.entries(briefs)))
    return all && [all.asWell, all.nearly.map((n) => n.words), all.wrong.map((w) => w.words), all.open]
  }
  const one = brief(['1600', '1866'], ['tall'], ['LR'], 1)
  it.each([
    ['of one plan, as its brief has it', wanted('a'), { a: one }, [['1600', '1866'], ['tall'], ['LR'], 1]],
    [
      'worse for the other plan',
      wanted('a', 'b'),
      { a: one, b: brief(['1600'], ['1866'], ['tall']) },
      [['1600'], ['1866'], ['LR', 'tall'], 1],
    ],
    ['not judged for the other', wanted('a', 'b'), { a: one, b: brief([], [], []) }, [[], [], ['LR'], 1]],
    ['the other brief is not here yet', wanted('a', 'b'), { a: one }, null],
    ['a brief that knows nothing of it', wanted('a'), { a: { lines: [], open: [] } as unknown as Brief }, null],
  ])('%s', (_, line, briefs, all) => expect(told(line, briefs as Record<string, Brief>)).toEqual(all))
})
