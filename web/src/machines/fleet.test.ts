import { describe, expect, it } from 'vitest'
import type { Fleet } from '@/api/client'
import { comesTo, good, total } from './fleet'

const fleet = (counts: Record<string, number>): Fleet => ({
  rows: [],
  own: [],
  columns: {},
  meanings: [],
  above: 0,
  counts,
})

describe('what a table comes to', () => {
  it.each([
    [{ machine: 1, waiting: 0, change: 0, nothing: 0, wrong: 4 }, '1 new machine', 1, 5],
    [
      { machine: 12, waiting: 1, change: 2, nothing: 3, wrong: 0 },
      '12 new machines, 1 that waits for a sheet, 2 changed, 3 with nothing new',
      15,
      18,
    ],
    [{ machine: 0, waiting: 2, change: 0, nothing: 0, wrong: 0 }, '2 that wait for a sheet', 2, 2],
    [{ wrong: 2 }, 'nothing that can be taken', 0, 2],
  ])('%j', (counts, words, taken, all) => {
    expect([comesTo(fleet(counts)), good(fleet(counts)), total(fleet(counts))]).toEqual([words, taken, all])
  })
})
