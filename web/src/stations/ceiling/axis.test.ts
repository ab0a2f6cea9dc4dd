import { describe, expect, it } from 'vitest'
import { axisOf, placeFlags, type Flag } from './axis'

const flag = (id: string, gib: number, trust: number): Flag => ({
  id,
  gib,
  trust,
  words: `${gib} official`,
  note: 'machine guide, 2025',
})

describe('axis', () => {
  it('holds every value between powers of two, with room beyond the greatest', () => {
    for (const values of [[8], [4, 24, 40], [1536, 4096], [0, 16], []]) {
      const axis = axisOf(values, 100, 1000)
      for (const v of values.filter(Boolean)) expect(axis.x(v)).toBeGreaterThanOrEqual(100)
      expect(axis.x(Math.max(8, ...values))).toBeLessThan(1000)
      expect(axis.ticks.every((t) => Number.isInteger(Math.log2(t)))).toBe(true)
      expect(axis.ticks.length).toBeGreaterThan(2)
    }
  })
})

describe('flags', () => {
  const axis = axisOf([8, 128], 100, 1000)
  it('never lets words cover others while rows are free', () => {
    const flags = [flag('a', 24, 1), flag('b', 24, 2), flag('c', 60, 2), flag('d', 32, 1), flag('e', 100, 6)]
    const placed = placeFlags(flags, axis, 100, 1000, 5)
    const boxes = placed.map((p) => ({
      row: p.row,
      from: p.side === 'right' ? p.x : p.x - 150,
      to: p.side === 'right' ? p.x + 150 : p.x,
    }))
    for (const [i, a] of boxes.entries())
      for (const b of boxes.slice(i + 1)) expect(a.row !== b.row || a.to <= b.from || a.from >= b.to).toBe(true)
  })
  it('keeps words apart however many stand close together', () => {
    const flags = Array.from({ length: 8 }, (_, i) => flag(String(i), 40 + i, i % 3))
    for (const rows of [8, 2])
      for (const [i, a] of placeFlags(flags, axis, 100, 1000, rows).entries())
        for (const b of placeFlags(flags, axis, 100, 1000, rows).slice(i + 1))
          expect(a.row !== b.row || a.side !== b.side).toBe(true)
  })
  it('stands the more trusted higher, and keeps words within the width', () => {
    const [low, high] = [flag('low', 16, 7), flag('high', 64, 0)]
    const placed = new Map(placeFlags([low, high], axis, 100, 1000, 4).map((p) => [p.id, p]))
    expect(placed.get('high')!.row).toBeLessThan(placed.get('low')!.row)
    expect(placeFlags([flag('edge', 128, 0)], axis, 100, 900, 4)[0]!.side).toBe('left')
  })
})
