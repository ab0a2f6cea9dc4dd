/** Words of the work at the bench. */
import type { RunStep, Severity } from '@/api/client'

/** "3 to 6 min", "3 days"; "" for what takes no time. */
export function minutesWords(range: { low: number; high: number }): string {
  if (!range.high) return ''
  const [unit, by] = range.low >= 2880 ? ['days', 1440] : range.high >= 300 ? ['h', 60] : ['min', 1]
  const low = figure(range.low / Number(by))
  const high = figure(range.high / Number(by))
  return low === high ? `${low} ${unit}` : `${low} to ${high} ${unit}`
}

function figure(value: number): string {
  return value < 10 ? String(Math.round(value * 10) / 10) : String(Math.round(value))
}

export const PHASES: Record<string, string> = {
  before: 'Before',
  off: 'Off',
  open: 'Open',
  modules: 'Modules',
  close: 'Close',
  'first start': 'First start',
  proof: 'Proof',
  'back on duty': 'Back on duty',
  afterwards: 'Afterwards',
}

/** Steps by phase, in order; a phase that comes again is told again. */
export function byPhase(steps: RunStep[]): { key: string; phase: string; steps: RunStep[] }[] {
  const groups: { key: string; phase: string; steps: RunStep[] }[] = []
  for (const s of steps) {
    const last = groups.at(-1)
    if (last?.phase === s.phase) last.steps.push(s)
    else groups.push({ key: `${s.phase}-${s.number}`, phase: s.phase, steps: [s] })
  }
  return groups
}

/** How a step that stands for proof is marked, and in a word. */
export const PROOF: Record<string, { mark: Severity | 'go'; word: string }> = {
  there: { mark: 'go', word: 'proved' },
  waived: { mark: 'risk', word: 'waived' },
  lacking: { mark: 'ask', word: 'waits' },
  against: { mark: 'stop', word: 'against it' },
}

/** What a run's state is called where it has ended. */
export const ENDED: Record<string, string> = {
  proved: 'proved',
  waived: 'on duty, not proved',
  'backed out': 'backed out',
}

/** What the path says of a run. */
export function runWords(
  run: { state: string; done: number; steps: number; stage: number; stages: number } | undefined,
): string {
  if (!run) return 'not begun'
  if (run.state !== 'under way') return ENDED[run.state] ?? run.state
  const stage = run.stages > 1 ? `stage ${run.stage}, ` : ''
  return `${stage}step ${Math.min(run.done + 1, run.steps)} of ${run.steps}`
}

/** What coming back to what was fitted takes from here; null where nothing has been handled or opened. The way back is as
 * long as the way was: what was moved is moved again, then it is closed and started. [min] */
export function wayBack(steps: RunStep[]): { moves: number; low: number; high: number } | null {
  const done = steps.filter((s) => s.done_at)
  const moved = done.filter((s) => s.do)
  const opened = done.some((s) => s.phase === 'open') || moved.length > 0
  if (!opened && !done.some((s) => s.phase === 'off')) return null
  const first = (phase: string) => byPhase(steps).find((g) => g.phase === phase)?.steps ?? []
  const again = [...moved, ...(opened ? first('close') : []), ...first('first start')]
  return {
    moves: moved.length,
    low: again.reduce((sum, s) => sum + s.minutes.low, 0),
    high: again.reduce((sum, s) => sum + s.minutes.high, 0),
  }
}

/** What is in the slots after so many steps: out of the goal what is not in yet, out of what was what is out. */
export function layoutAt<T>(steps: RunStep[], now: Record<string, T>, goal: Record<string, T>): Record<string, T> {
  const layout = { ...now }
  for (const s of steps) {
    if (!s.do || !s.done_at) continue
    const [first, second] = s.slots
    if (s.do === 'take-out' && first) delete layout[first]
    if (s.do === 'put-in' && first && first in goal) layout[first] = goal[first]!
    if (s.do === 'move' && first && second) {
      delete layout[first]
      if (second in goal) layout[second] = goal[second]!
    }
  }
  return layout
}
