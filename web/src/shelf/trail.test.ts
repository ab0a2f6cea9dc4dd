import { describe, expect, it } from 'vitest'
import type { Trail } from '@/api/client'
import { healthWords, isThere, nowWords, whatWords, type TrailLine } from './trail'

const line = (more: Partial<TrailLine>): TrailLine =>
  ({
    where: 'fitted',
    at: '2026-01-01T00:00:00Z',
    until: null,
    machine: 'hall-01',
    slot: 'A1',
    place: '',
    by: 'smbios',
    state: '',
    note: '',
    reference: '',
    ...more,
  }) as TrailLine
const trail = (...lines: TrailLine[]): Trail => ({
  serial: 'S1',
  part: '',
  words: '',
  lines,
  now: lines.filter((l) => isThere(l)),
})

describe('where a module is', () => {
  const shelf = line({ where: 'shelf', place: 'drawer 2', state: 'pulled', by: 'Ida', note: 'from hall-01' })
  it.each([
    [trail(line({})), 'It is in hall-01, slot A1.'],
    [trail(shelf), 'It is on the Shelf, drawer 2.'],
    [
      trail(line({}), shelf),
      'Told to be in 2 places at once, which cannot be: hall-01, slot A1, and on the Shelf, drawer 2.',
    ],
    [trail(line({ until: '2026-02-01T00:00:00Z' })), 'Nobody knows where it is. Last: hall-01, slot A1.'],
  ])('%#', (t, words) => expect(nowWords(t)).toBe(words))
  it('tells what happened and what was seen', () => {
    expect(whatWords(shelf)).toBe('put on the Shelf by Ida as pulled; from hall-01')
    expect(whatWords(line({ where: 'sent back', state: 'wrong', reference: 'R-7' }))).toContain('sent back under R-7')
    expect([
      healthWords(line({})),
      healthWords(line({ correctable: 0 })),
      healthWords(line({ correctable: 3, uncorrectable: 1, failed_at: 'x' })),
    ]).toEqual(['', 'no error counted', 'found at fault; 3 errors corrected, 1 not'])
  })
})
