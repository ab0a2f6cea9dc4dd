import { describe, expect, it } from 'vitest'
import type { RunStep, RunView } from '@/api/client'
import { aloneFrom, atHand, stepsWith, ticking } from '@/bench/run'
import type { Waiting } from '@/bench/queue'
import { byPhase, layoutAt, minutesWords, runWords } from './words'

const step = (key: string, more: Partial<RunStep> = {}): RunStep =>
  ({
    key,
    number: 1,
    phase: 'off',
    slots: [],
    hold: false,
    who: 'anyone',
    done_at: null,
    done_by: null,
    do: null,
    not_right: null,
    ...more,
  }) as RunStep
const entry = (kind: string, of: string, more: Partial<Waiting> = {}): Waiting => ({
  id: of,
  run: 'r',
  account: 'me',
  at: '2031-03-01T08:00:00Z',
  entry: { kind, step: of, text: 'loose' } as never,
  ...more,
})

describe('the words of a run', () => {
  it.each([
    [{ low: 0, high: 0 }, ''],
    [{ low: 1.5, high: 3 }, '1.5 to 3 min'],
    [{ low: 10, high: 10 }, '10 min'],
    [{ low: 240, high: 600 }, '4 to 10 h'],
    [{ low: 4320, high: 4320 }, '3 days'],
  ])('minutes %o are %s', (range, words) => expect(minutesWords(range)).toBe(words))

  it('groups steps by phase, and tells a phase that comes again again', () => {
    const phases = byPhase([step('a'), step('b'), step('c', { phase: 'open' }), step('d')] as RunStep[]).map((g) => [
      g.phase,
      g.steps.length,
    ])
    expect(phases).toEqual([
      ['off', 2],
      ['open', 1],
      ['off', 1],
    ])
  })

  it.each([
    [undefined, 'not begun'],
    [{ state: 'under way', done: 3, steps: 31, stage: 1, stages: 1 }, 'step 4 of 31'],
    [{ state: 'under way', done: 31, steps: 31, stage: 2, stages: 2 }, 'stage 2, step 31 of 31'],
    [{ state: 'proved', done: 31, steps: 31, stage: 1, stages: 1 }, 'proved'],
  ])('the path says of %o: %s', (run, words) => expect(runWords(run)).toBe(words))

  it('knows what is in the slots after the steps done so far', () => {
    const at = '2031'
    const steps = [
      step('1', { do: 'take-out', slots: ['A'], done_at: at }),
      step('2', { do: 'move', slots: ['B', 'C'], done_at: at }),
      step('3', { do: 'put-in', slots: ['A'] }),
    ]
    expect(layoutAt(steps, { A: 'x', B: 'y' }, { A: 'z', C: 'y' })).toEqual({ C: 'y' })
  })
})

describe('what waits is laid over what the server knows', () => {
  const view = {
    state: 'under way',
    steps: [
      step('a'),
      step('b', { done_at: '2030', done_by: 'I. Mar' }),
      step('h', { hold: true, who: 'second' }),
      step('p', { proves: 'memory test' }),
    ],
    last_by: 'other',
    last_at: '2031-03-01T07:00:00Z',
  } as unknown as RunView

  it('ticks, takes back and finds wrong, in order; what was refused is not shown', () => {
    const after = stepsWith(
      view,
      [entry('done', 'a'), entry('undone', 'b'), entry('not-right', 'a'), entry('done', 'h', { refused: 'no' })],
      'me',
    )
    expect(after.map((s) => [s.done_at, s.not_right])).toEqual([
      [null, 'loose'],
      [null, null],
      [null, null],
      [null, null],
    ])
    expect(stepsWith(view, [entry('done', 'a')], 'me')[0]).toMatchObject({
      done_by: 'me',
      done_at: '2031-03-01T08:00:00Z',
    })
  })

  it.each([
    ['technician', [], 'yes'],
    ['technician', [entry('done', 'a')], 'second'],
    ['lead', [entry('done', 'a')], 'yes'],
    ['viewer', [], 'look'],
  ])('a hold point after somebody else, for a %s with %o', (role, waiting, may) =>
    expect(ticking(view, view.steps[2]!, waiting, { id: 'me', role })).toBe(may),
  )
  it('is not ticked by who did the last step', () =>
    expect(ticking({ ...view, last_by: 'me' }, view.steps[2]!, [], { id: 'me', role: 'technician' })).toBe('second'))
  it('is never ticked where it stands for proof, nor in a run that has ended but for its last steps', () => {
    const lead = { id: 'me', role: 'lead' }
    expect(ticking(view, view.steps[3]!, [], lead)).toBe('proof')
    expect(ticking({ ...view, state: 'proved' }, view.steps[0]!, [], lead)).toBe('look')
    expect(ticking({ ...view, state: 'waived' }, step('x', { phase: 'afterwards' }), [], lead)).toBe('yes')
  })
  it('lets who is alone go on a minute after the last tick, by what is on its way too', () => {
    expect(aloneFrom(view, [])).toBe(Date.parse('2031-03-01T07:01:00Z'))
    expect(aloneFrom(view, [entry('done', 'a')])).toBe(Date.parse('2031-03-01T08:01:00Z'))
  })
  it('goes on past a proof that holds nothing up, and stops at one that does', () => {
    const [test, next] = [step('p', { proves: 'memory test' }), step('n')]
    expect(atHand([test, next])?.key).toBe('n')
    expect(atHand([{ ...test, hold: true }, next])?.key).toBe('p')
    expect(atHand([test, { ...next, done_at: '2031' }])?.key).toBe('p')
    expect(atHand([])).toBe(null)
  })
})
