import { expect, it } from 'vitest'
import type { BuyingLine } from '@/api/client'
import { perGb, takeWords } from './buying'

const take = (kits: number, kit: number, price: string, part = 'AB-8') => ({ part, supplier: 'Quay', kits, kit, modules: kits * kit, price_of_kit: '1', price, lead_days: 1 }) as BuyingLine['takes'][number]
const line = (takes: BuyingLine['takes'], left_over: number) => ({ part: 'AB-8', takes, left_over }) as unknown as BuyingLine

it('says kits, other parts and what is left over once', () => {
  const [one, other] = [take(1, 4, '40'), take(3, 1, '36', 'CD-8')]
  const bought = line([one, other], 2)
  expect([takeWords(one, bought), takeWords(other, bought)]).toEqual(['1 kit of 4', '3 modules, CD-8; 2 left over'])
  expect(takeWords(one, line([one], 0))).toBe('1 kit of 4')
})
it('tells what a GB costs where the size is known', () => {
  expect([perGb(take(1, 4, '40'), 8), perGb(take(1, 1, '40'), null)]).toEqual(['1.25 a GB', ''])
})
