/** What Ceiling calls things. */
import type { CeilingStatement } from '@/api/client'
import { gb } from '@/ui/figures'

/** Kinds of source, the most trusted first. */
export const KIND_WORDS: Record<string, string> = {
  'own-proof': 'own proof',
  'machine-maker': 'machine maker',
  'processor-maker': 'processor maker',
  'module-maker': 'module maker',
  'board-maker': 'board maker',
  named: 'somebody named',
  survey: 'its own firmware',
  hearsay: 'hearsay',
}

export function sourceWords(s: CeilingStatement): string {
  return [s.source.title, s.source.clause, s.source.date].filter(Boolean).join(', ')
}

/** "32 GB a channel". */
export function saysWords(s: CeilingStatement): string {
  const places: Record<string, string> = {
    machine: 'in all',
    socket: 'a socket',
    controller: 'a controller',
    channel: 'a channel',
    slot: 'a slot',
    die: 'a die',
  }
  const amount =
    s.unit === 'GB'
      ? `${gb(s.amount)} GB`
      : s.unit === 'ranks'
        ? `${s.amount} ranks`
        : s.unit === 'high'
          ? `${s.amount} dies high`
          : `${s.amount} Gbit`
  return `${amount} ${s.where ? `in ${s.where}` : (places[s.scope] ?? s.scope)}`
}

/** Whether it counts now, and if not why. */
export function holdsWords(s: CeilingStatement): string {
  if (s.binds.length) return 'binds'
  if (s.holds) return 'holds'
  if (s.holds === null) return 'not known'
  return (
    { version: 'not this version', processor: 'other processor', replaced: 'replaced' }[s.why_not] ?? 'does not hold'
  )
}

export const CEILING_WORDS: Record<string, string> = {
  official: 'official',
  processor: 'by the processor',
  physical: 'can be built',
}
