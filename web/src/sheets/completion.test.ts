import { describe, expect, it } from 'vitest'
import type { Shape } from '@/api/client'
import { completionsAt, placeIn } from './completion'

const shape = (over: Partial<Shape>): Shape => ({
  kind: 'text',
  options: [],
  least: null,
  most: null,
  whole: false,
  long: false,
  of: null,
  fields: [],
  words: [],
  ...over,
})
const record = (fields: Record<string, Shape>) =>
  shape({
    kind: 'record',
    fields: Object.entries(fields).map(([name, s]) => ({ name, label: name, help: '', shape: s, required: false })),
  })
const list = (of: Shape, words: string[] = []) => shape({ kind: 'list', of, words })
const KIND = record({
  buffering: shape({ kind: 'choice', options: ['registered', 'unbuffered'] }),
  ecc: shape({ kind: 'flag' }),
})
const SHEET = record({
  class: shape({ kind: 'choice', options: ['server', 'appliance'] }),
  memory: record({ form: shape({ kind: 'choice', options: ['DIMM'] }), accepts: list(KIND, ['open', 'untold']) }),
  processors: shape({
    kind: 'named',
    of: record({
      title: shape({}),
      rate_table: list(record({ rate_mts: shape({ kind: 'number' }), dpc: shape({ kind: 'number' }) })),
    }),
  }),
})

describe('a place in a text', () => {
  it.each([
    ['', [], true],
    ['cla', [], true],
    ['class: ser', ['class'], false],
    ['memory:\n  fo', ['memory'], true],
    ['memory:\n  accepts:\n    - {buffering: regi', ['memory', 'accepts', '*', 'buffering'], false],
    ['memory:\n  accepts: [{buffering: registered, ec', ['memory', 'accepts', '*'], true],
    [
      'processors:\n  heliant-brae:\n    title: X\n    # a remark\n    rate_table:\n      - dpc: 1\n        ra',
      ['processors', 'heliant-brae', 'rate_table', '*'],
      true,
    ],
    ['processors:\n  x: {rate_table: [{dpc: 1}, {', ['processors', 'x', 'rate_table', '*'], true],
    ['memory:\n  form: DIMM\nli', [], true],
  ])('%j', (before, path, key) => {
    const at = placeIn(before)
    expect(at.path.filter((p) => p !== '*')).toEqual(path.filter((p) => p !== '*'))
    expect(at.key).toBe(key)
  })
})

describe('what may stand there', () => {
  it.each([
    ['', ['class', 'memory', 'processors']],
    ['class: ', ['server', 'appliance']],
    ['memory:\n  ', ['form', 'accepts']],
    ['memory:\n  accepts: o', ['open', 'untold']],
    ['memory:\n  accepts:\n    - {', ['buffering', 'ecc']],
    ['memory:\n  accepts:\n    - {buffering: ', ['registered', 'unbuffered']],
    ['memory:\n  accepts: [{ecc: ', ['true', 'false']],
    ['processors:\n  x:\n    rate_table:\n      - ', ['rate_mts', 'dpc']],
    ['nothing:\n  ', []],
  ])('%j', (before, labels) => {
    expect(
      completionsAt(SHEET, before)
        .map((o) => o.label)
        .filter((l) => labels.length === 0 || labels.includes(l)),
    ).toEqual(labels)
  })
})
