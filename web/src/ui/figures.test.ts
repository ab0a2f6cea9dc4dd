import { describe, expect, it } from 'vitest'
import { counted, gb, gbDown, gbUp } from './figures'

describe('figures', () => {
  it.each([
    [16, '16', '16', '16'],
    [235.84, '235.8', '235.9', '235.8'],
    [235.86, '235.9', '235.9', '235.8'],
    [235.9, '235.9', '235.9', '235.9'],
    [7.125, '7.13', '7.13', '7.12'],
    [0.05 + 0.1, '0.15', '0.15', '0.15'],
    [572.8000000001, '572.8', '572.8', '572.8'],
    [0, '0', '0', '0'],
    [null, '?', '?', '?'],
  ])('%d to the nearest, up, down', (value, nearest, up, down) => {
    expect([gb(value), gbUp(value), gbDown(value)]).toEqual([nearest, up, down])
  })
  it('says of a total that something in it is not known', () => {
    expect([counted(64, 0), counted(64, 2), counted(0, 1), counted(0, 0), counted(7.126, true, gbDown)]).toEqual([
      '64',
      '64+',
      '?',
      '0',
      '7.12+',
    ])
  })
})
