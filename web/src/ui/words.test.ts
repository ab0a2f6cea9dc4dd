import { describe, expect, it } from 'vitest'
import { oddities } from './words'

describe('what is odd about a report', () => {
  const at = (...places: string[]) => places.map((where) => ({ where, message: 'odd' }))
  it.each([
    [at('line 1'), 'line 1'],
    [at('line 1', 'line 2'), 'line 1 and 2'],
    [at('line 1', 'line 2', 'line 2', 'line 5', 'line 9'), 'line 1, 2, 5 and 9'],
    [at('line 1', 'line 2', 'line 3', 'line 4', 'line 5'), 'line 1, 2, 3 and 2 more'],
    [at('A1', 'line 2'), 'A1 and line 2'],
    [[], undefined],
  ])('%j once', (warnings, where) => {
    const told = oddities(warnings)
    expect(told.map((t) => t.where)).toEqual(where === undefined ? [] : [where])
  })
  it('keeps what differs apart', () => {
    expect(oddities([...at('line 1'), { where: 'line 1', message: 'other' }])).toHaveLength(2)
  })
})
