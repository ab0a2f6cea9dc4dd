import { describe, expect, it } from 'vitest'
import { order, since, type Item } from './words'

const item = (changes: Partial<Item>): Item => ({
  section: 'changed',
  severity: 'risk',
  what: 'm',
  where: '',
  words: '',
  who: 'I. Mar',
  mine: false,
  since: null,
  due: null,
  path: '/',
  act: 'Look',
  ...changes,
})

describe('what wants somebody', () => {
  it('is grouped as the server ranked it, or put in one list by how long it waits', () => {
    const old = item({ what: 'old', since: '2026-11-01T00:00:00Z' })
    const stops = item({ what: 'stops', section: 'stops work', since: '2026-11-20T00:00:00Z', who: '' })
    const undated = item({ what: 'undated', mine: true })
    const all = [stops, old, undated]
    expect(order(all, 'all', 'worst').map((g) => [g.section, g.items.map((i) => i.what)])).toEqual([
      ['stops work', ['stops']],
      ['changed', ['old', 'undated']],
    ])
    expect(order(all, 'all', 'longest')[0]!.items.map((i) => i.what)).toEqual(['old', 'stops', 'undated'])
    expect(order(all, 'mine', 'worst')[0]!.items).toEqual([undated])
    expect(order(all, 'nobody’s', 'longest')[0]!.items).toEqual([stops])
    expect(order([], 'all', 'longest')).toEqual([])
  })
  it('says how long it waits and when it is due', () => {
    const now = new Date('2026-11-29T12:00:00Z')
    const said = (changes: Partial<Item>) => since(item(changes), now)
    expect(said({ since: '2026-11-29T11:38:00Z' })).toBe('22 min')
    expect(said({ since: '2026-11-29T09:00:00Z' })).toBe('3 h')
    expect(said({ since: '2026-11-26T09:00:00Z' })).toBe('3 d')
    expect(said({ due: '2026-11-25' })).toBe('4 d late')
    expect(said({ due: '2026-11-29' })).toBe('today')
    expect(said({ due: '2026-12-02' })).toBe('in 3 d')
    expect(said({})).toBe('')
  })
})
