/** What comes next with a plan: at most three steps, the first of which is to be done now. */
import type { Evaluation, Worth } from '@/api/client'
import { gbUp } from '@/ui/figures'
import { plural } from '@/ui/words'

export interface NextStep {
  words: string
  /** The station where it is done; none where it is done here. */
  to?: string
}

export function nextSteps(of: {
  changes: boolean
  evaluation: Evaluation
  questions: number
  worth?: Worth
  short: number
  approved: boolean
  run: string | null
  proved: boolean
}): NextStep[] {
  if (of.proved) return []
  if (of.run === 'under way')
    return [
      { words: 'go on with the run', to: 'run' },
      { words: 'prove it', to: 'proof' },
    ]
  const stops = of.evaluation.findings.filter((f) => f.severity === 'stop').length
  if (!of.changes && !stops) {
    // How much is lacking is not known before what is there is.
    const look: NextStep[] = of.evaluation.not_counted
      ? [{ words: `look into ${plural(of.evaluation.not_counted, 'slot')}`, to: 'survey' }]
      : []
    const more: NextStep =
      of.short > 0 && !look.length
        ? { words: `find ${gbUp(of.short)} GB more`, to: 'routes' }
        : { words: 'put a module into a slot' }
    return [...look, more, { words: 'begin the run' }, { words: 'prove it' }].slice(0, 3)
  }
  const steps: NextStep[] = []
  if (stops) steps.push({ words: `cure ${plural(stops, 'stop')}` })
  if (of.questions) steps.push({ words: `answer ${plural(of.questions, 'question')}` })
  if (of.short > 0) steps.push({ words: `find ${gbUp(of.short)} GB more`, to: 'routes' })
  const risky =
    of.evaluation.verdict === 'at-risk' || of.evaluation.verdict === 'undecided' || Boolean(of.worth?.rests_on.length)
  if (risky && !of.approved) steps.push({ words: 'let a lead take the risk', to: 'run' })
  steps.push({ words: 'begin the run', to: 'run' }, { words: 'prove it' })
  return steps.slice(0, 3)
}
