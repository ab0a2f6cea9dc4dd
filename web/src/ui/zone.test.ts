import { describe, expect, it } from 'vitest'
import { atSite, toSite } from './zone'

describe('the wall clock of a zone', () => {
  it.each([
    ['2031-03-01T08:00', 'Atlantic/Faroe', '2031-03-01T08:00:00.000Z'],
    ['2031-07-01T08:00', 'Atlantic/Faroe', '2031-07-01T07:00:00.000Z'],
    ['2031-03-30T02:30', 'Europe/Oslo', '2031-03-30T01:30:00.000Z'], // does not exist: the clocks are put forward
    ['2031-10-27T00:15', 'America/St_Johns', '2031-10-27T02:45:00.000Z'],
  ])('%s in %s', (local, zone, at) => {
    expect(atSite(local, zone)).toBe(at)
    if (!local.startsWith('2031-03-30')) expect(toSite(at, zone)).toBe(local)
  })
})
