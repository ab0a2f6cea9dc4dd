import { expect, it } from 'vitest'
import type { Action, Layout, Module, PriceAt, Route, SizingView } from '@/api/client'
import { percent } from '@/ui/figures'
import { dutyWords, largestWords, mayOpen, shortWords, wayWords } from '../target/words'
import {
  assumedWords,
  beats,
  given,
  layoutOf,
  letterOf,
  routeWords,
  troubleOf,
  troubleWords,
  verdictWords,
  whereNow,
} from './words'

const module = (gib: number, part: string | null) => ({ capacity_gib: gib, part }) as Module
const act = (verb: Action['do'], from: string | null, to: string | null, m: Module): Action => ({
  do: verb,
  from,
  to,
  module: m,
})
const route = (actions: Action[], more: object = {}) =>
  ({ actions, evaluation: { verdict: 'at-risk' }, ...more }) as unknown as Route

it('tells what a route does, without what only lies on the mat meanwhile', () => {
  const big = module(64, 'Z-64')
  const small = module(16, 'O-16')
  expect(routeWords(route([act('keep', 'A', 'A', small)]))).toBe('as it is')
  expect(
    routeWords(
      route([
        act('put-in', null, 'A', big),
        act('put-in', null, 'B', big),
        act('take-out', 'C', null, small),
        act('move', 'D', 'E', small),
      ]),
    ),
  ).toBe('2 x 64 GB Z-64 in, 16 GB out, 1 moved')
  const failed = (gib: number | null) => ({ ...small, capacity_gib: gib, failed: 'dead' }) as Module
  expect(routeWords(route([act('take-out', 'C', null, failed(16)), act('take-out', 'D', null, failed(null))]))).toBe(
    'failed 16 GB and failed module out',
  )
  const kinds = (out: object, comes: object) =>
    routeWords(
      route([act('take-out', 'A', null, { ...small, ...out }), act('put-in', null, 'A', { ...big, ...comes })]),
    )
  const unbuffered = { buffering: 'unbuffered', ecc: false }
  expect(kinds(unbuffered, { buffering: 'registered', ecc: true })).toBe('64 GB registered Z-64 in, 16 GB out')
  expect(kinds(unbuffered, { buffering: 'unbuffered', ecc: true })).toBe('64 GB unbuffered ECC Z-64 in, 16 GB out')
  for (const alike of [unbuffered, { buffering: 'unbuffered', ecc: null }, { buffering: null }])
    expect(kinds(alike, alike)).toBe('64 GB Z-64 in, 16 GB out')
  expect(kinds({ buffering: 'unbuffered', ecc: null }, { buffering: 'unbuffered', ecc: true })).toBe(
    '64 GB Z-64 in, 16 GB out',
  )
  expect(
    routeWords(
      route([act('take-out', 'A', 'mat', small), act('move', 'B', 'A', small), act('put-in', 'mat', 'B', small)]),
    ),
  ).toBe('1 moved')
})

it.each([
  [0, '0\u00a0%'],
  [0.004, 'under 1\u00a0%'],
  [0.2, '20\u00a0%'],
  [0.997, 'over 99\u00a0%'],
  [1, '100\u00a0%'],
])('writes %f as %s', (p, words) => expect(percent(p)).toBe(words))

it('tells trouble with its range, and who stands behind', () => {
  expect(troubleWords(route([], { trouble: 0.2, trouble_range: { low: 0.004, high: 0.62 } }))).toBe(
    '20\u00a0% (0 to 62)',
  )
  expect(troubleWords(route([], { trouble: 0 }))).toBe('none: nothing new')
  expect([verdictWords(route([], { in_warranty: true })), verdictWords(route([]))]).toEqual([
    'at risk, inside the warranty',
    'at risk',
  ])
  expect([letterOf(0), letterOf(25), letterOf(26)]).toEqual(['A', 'Z', '27'])
  expect([given('budget'), given('uneven'), given('less_bandwidth')]).toEqual([
    { budget: null },
    { uneven: true },
    { less_bandwidth: true },
  ])
})

it.each([
  [true, true, 'go', 'It may be opened now'],
  [true, false, 'stop', 'not if one more is lost'],
  [false, false, 'stop', 'the rest cannot carry'],
  [null, null, 'ask', 'nobody said what hall-02 carries'],
])('says of a group that fits %s, with one lost %s: %s', (fits, lost, mark, words) => {
  const duty = { fits, fits_with_one_lost: lost, unknown: ['hall-02'] } as NonNullable<SizingView['duty']>
  expect(mayOpen(duty)).toBe(mark)
  expect(dutyWords(duty)).toContain(words)
})

it.each([
  [8, 20, true, 'go', 'hall-02 has 20 GB free'],
  [32, 20, false, 'stop', 'finds room on none of the others'],
  [32, 20, null, 'ask', 'cannot be told'],
  [null, null, null, 'ask', 'nobody said what it carries'],
  [0, 20, true, 'go', ''],
])('says of a largest load of %s with %s free: %s, %s', (load, room, fits, mark, words) => {
  const duty = {
    fits: true,
    fits_with_one_lost: true,
    unknown: [],
    largest_gib: load,
    largest_room_gib: room,
    largest_goes_to: 'hall-02',
    largest_fits: fits,
  } as unknown as NonNullable<SizingView['duty']>
  expect(mayOpen(duty)).toBe(mark)
  expect(largestWords(duty)).toContain(words)
})

it('tells a way and what is lacking', () => {
  const way = { modules: 1, data_rate_mts: 4800, balance: 0.63, trouble: 0.2 } as PriceAt
  expect(wayWords(way)).toBe('1 module, 4800 MT/s, balance 0.63, trouble 20\u00a0%')
  expect(wayWords({ ...way, modules: 8, data_rate_mts: null, balance: 1, trouble: 0 })).toBe('8 modules')
  expect([shortWords(40, 64), shortWords(80, 64)]).toEqual(['24 GB short', '16 GB to spare'])
})

it('knows a route again in a later answer, and what has beaten one that is gone', () => {
  const way = (cost: string, usable_gib: number, trouble: number) =>
    route([], { cost, usable_gib, trouble, sustained_gbs: 1 })
  const seen = way('20.00', 64, 0.2)
  expect([
    whereNow(seen, [way('10.00', 64, 0.2), way('20.00', 64, 0.2)]),
    whereNow(seen, [way('9.00', 64, 0.2)]),
    whereNow(undefined, [seen]),
  ]).toEqual([1, -1, -1])
  expect([
    beats(way('9.00', 64, 0.2), seen),
    beats(way('9.00', 32, 0.2), seen),
    beats(way('9.00', 64, 0.3), seen),
    beats(way('100.00', 96, 0), seen),
  ]).toEqual([true, false, false, false])
})

it('puts a layout together of what is fitted and what a route changes', () => {
  const [small, big] = [module(16, 'O-16'), module(64, 'Z-64')]
  const view = { modules: [small, big], fitted: { A: 0, B: null, C: 0 } }
  expect(layoutOf(view)).toEqual({ A: small, B: 'unknown', C: small })
  expect(layoutOf(view, { A: 1, C: null, D: 0 })).toEqual({ A: big, B: 'unknown', D: small })
})

it.each<[string, Layout, boolean]>([
  ['nothing known of what is fitted', { A1: 'unknown' }, false],
  ['nothing fitted', {}, false],
  ['no part number to ask for', { A1: { ...module(16, ''), part: null } }, false],
  ['a module that failed', { A1: { ...module(16, 'O-16'), failed: 'mapped out' } }, false],
  ['a part number', { A1: 'unknown', A2: module(16, 'O-16') }, true],
])('offers more of what is fitted where there is such: %s', (_, fitted, more) => {
  expect(assumedWords(fitted, 'the board')).toBe(
    `${more ? 'more of what is fitted, and ' : ''}what the standards have and the board takes`,
  )
})

it('tells trouble as the least where something in the total is not counted', () => {
  const of = (not_counted: number) => troubleOf(route([], { trouble: 0.13, evaluation: { not_counted } }))
  expect([of(0), of(2)]).toEqual([percent(0.13), `at least ${percent(0.13)}`])
})
