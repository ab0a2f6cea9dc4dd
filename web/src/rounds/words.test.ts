import { describe, expect, it } from 'vitest'
import { flowsOf, fromWords, handed, isProved, provedWords, type Proposal } from './words'

const served = (day: string) => ({ day }) as unknown as Proposal['rows'][number]['served']
const row = (id: string, day: string | null) =>
  ({
    machine_id: id,
    machine: `m-${id}`,
    served: day ? served(day) : null,
    need_gib: 64,
    ways_whole: true,
  }) as Proposal['rows'][number]
const proposal = (changes: Partial<Proposal>): Proposal =>
  ({
    ended: 'proved',
    gap: 0,
    gap_money: 0,
    currency: 'EUR',
    rows: [row('a', '2026-12-03'), row('b', '2026-12-10'), row('c', null)],
    passed: [
      { kind: 'x', words: '16 GB', count: 2, source: 'pulled', donor: 'a', to: 'b' },
      { kind: 'y', words: '8 GB', count: 1, source: 'pulled', donor: 'a', to: 'b' },
      { kind: 'z', words: '32 GB', count: 4, source: 'bought', donor: null, to: 'a' },
    ],
    ...changes,
  }) as Proposal

describe('a round in words', () => {
  it('says no more than is proved', () => {
    expect(provedWords(proposal({}))).toBe('Proved: there is no better choice')
    const [a, b, c] = proposal({}).rows as [
      Proposal['rows'][number],
      Proposal['rows'][number],
      Proposal['rows'][number],
    ]
    expect(provedWords(proposal({ rows: [a, { ...b, ways_whole: false }, { ...c, need_gib: null }] }))).toBe(
      'Proved: of the routes that were weighed there is no better choice for 2 machines whose need is told; of 1 machine not all were',
    )
    expect(provedWords(proposal({ rows: [{ ...a, need_gib: null }] }))).toBe(
      'Nothing is asked: nobody said what any of these machines needs',
    )
    expect(isProved(proposal({ rows: [{ ...a, need_gib: null }] }))).toBe(false)
    expect(provedWords(proposal({ ended: 'stopped', gap: 0.02, gap_money: 9.5 }))).toBe(
      'Stopped: the best found so far, at most 2.0\u00a0% (9.50 EUR) above the best there can be',
    )
    expect(provedWords(proposal({ ended: 'no time', gap: null, gap_money: null }))).toContain('is not known yet')
  })
  it('tells where modules come from, and draws what is passed on once for both', () => {
    const p = proposal({})
    expect(fromWords(p, p.rows[0]!)).toBe('4 new')
    expect(handed(p)).toEqual([{ donor: 'a', to: 'b', count: 3, words: '2 × 16 GB, 1 × 8 GB' }])
    const at = (x: number) => ({ left: { x, y: 10 }, right: { x: x + 90, y: 10 } })
    expect(flowsOf(p, (m) => at(m === 'a' ? 0 : 200)).map((f) => f.count)).toEqual([3])
    expect(flowsOf(p, () => null)).toEqual([])
  })
})
