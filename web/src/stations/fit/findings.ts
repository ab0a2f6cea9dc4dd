/** What findings point at on the board. */
import type { Finding, Severity } from '@/api/client'

export function litBy(finding: Finding | null): Map<string, Severity> {
  return new Map(finding?.slots.map((s) => [s, finding.severity]))
}

/** Worst severity that names each slot; findings come worst first. */
export function severityBySlot(findings: Finding[]): Map<string, Severity> {
  const worst = new Map<string, Severity>()
  for (const f of findings) for (const s of f.slots) if (!worst.has(s)) worst.set(s, f.severity)
  return worst
}

const SHORT: [Severity, string][] = [
  ['stop', 'stop'],
  ['ask', 'to ask'],
  ['risk', 'risk'],
  ['slow', 'slow'],
  ['note', 'note'],
]

/** "1 stop, 2 slow": the two worst kinds, for the path. */
export function countWords(findings: Finding[]): string {
  const counted = SHORT.map(([s, word]) => [findings.filter((f) => f.severity === s).length, word] as const)
  return (
    counted
      .filter(([n]) => n > 0)
      .slice(0, 2)
      .map(([n, word]) => `${n} ${word}${n > 1 && (word === 'risk' || word === 'note') ? 's' : ''}`)
      .join(', ') || 'go'
  )
}
