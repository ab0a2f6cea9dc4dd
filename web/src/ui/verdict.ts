/** The words and shapes of verdicts: the same wherever one is shown. */
import type { Evaluation } from '@/api/client'

export type Verdict = Evaluation['verdict']

export const VERDICTS = {
  'no-go': { words: 'no go', severity: 'stop' },
  undecided: { words: 'undecided', severity: 'ask' },
  'at-risk': { words: 'at risk', severity: 'risk' },
  go: { words: 'go', severity: 'go' },
} as const satisfies Record<Verdict, { words: string; severity: string }>

/** Whether what is open could hide something worse than what is known. */
export const isOpen = (of: { verdict: Verdict; at_worst: Verdict }): boolean =>
  of.verdict === 'undecided' || of.at_worst !== of.verdict

/** What a verdict could still become; '' where nothing that is open could change it. */
export function couldBecome(of: { verdict: Verdict; at_worst: Verdict }): string {
  return of.verdict === 'undecided' ? `could become ${VERDICTS[of.at_worst].words}` : ''
}
