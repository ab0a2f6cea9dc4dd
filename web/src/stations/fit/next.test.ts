import { describe, expect, it } from 'vitest'
import type { Evaluation, Worth } from '@/api/client'
import { nextSteps } from './next'

const judged = (verdict: string, ...severities: string[]) =>
  ({ verdict, findings: severities.map((severity) => ({ severity })) }) as unknown as Evaluation
const worth = (...rests_on: string[]) => ({ rests_on }) as unknown as Worth
const usual = {
  changes: true,
  evaluation: judged('go'),
  questions: 0,
  worth: worth(),
  short: 0,
  approved: false,
  run: null,
  proved: false,
}

describe('what comes next', () => {
  it.each([
    ['a plan that may run', {}, ['begin the run', 'prove it']],
    [
      'a stop comes before a question',
      { evaluation: judged('no-go', 'stop', 'stop'), questions: 1 },
      ['cure 2 stops', 'answer 1 question', 'begin the run'],
    ],
    [
      'a need that is not met is never rounded to be',
      { short: 0.04 },
      ['find 0.04 GB more', 'begin the run', 'prove it'],
    ],
    [
      'what is open is a lead’s to take',
      { evaluation: judged('undecided', 'ask') },
      ['let a lead take the risk', 'begin the run', 'prove it'],
    ],
    [
      'so is what nobody vouches for, whatever the verdict',
      { worth: worth('N2 runs 40 GB') },
      ['let a lead take the risk', 'begin the run', 'prove it'],
    ],
    ['taken once', { worth: worth('N2 runs 40 GB'), approved: true }, ['begin the run', 'prove it']],
    [
      'what stops it as it is',
      { changes: false, evaluation: judged('no-go', 'stop') },
      ['cure 1 stop', 'begin the run', 'prove it'],
    ],
    ['nothing planned', { changes: false }, ['put a module into a slot', 'begin the run', 'prove it']],
    [
      'what is in it is not known',
      { changes: false, short: 64, evaluation: { ...judged('undecided', 'ask'), not_counted: 4 } },
      ['look into 4 slots', 'put a module into a slot', 'begin the run'],
    ],
    ['at work', { run: 'under way' }, ['go on with the run', 'prove it']],
    ['proved', { proved: true }, []],
  ])('%s', (_, given, words) => {
    expect(nextSteps({ ...usual, ...given }).map((s) => s.words)).toEqual(words)
  })
})
