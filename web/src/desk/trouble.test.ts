import { expect, it } from 'vitest'
import { dotSize, placed } from './trouble'

it('gives small shares more room, in order, from end to end', () => {
  const shares = [-1, 0, 0.01, 0.1, 0.5, 1, 2].map(placed)
  expect([shares[0], shares[1], shares[5], shares[6]]).toEqual([0, 0, 1, 1])
  expect(shares).toEqual([...shares].sort((a, b) => a - b))
  expect(placed(0.1) - placed(0)).toBeGreaterThan(placed(1) - placed(0.9))
})
it('draws the most as the largest dot, and none as nothing', () => {
  expect(dotSize(9, 9)).toBe(6.5)
  expect(dotSize(1, 9)).toBeLessThan(dotSize(4, 9))
})
