/** What the rows of a table of machines come to, in words. */
import type { Fleet } from '@/api/client'
import { plural } from '@/ui/words'

export type Becomes = Fleet['rows'][number]['becomes']

export const BECOMES: Record<Becomes, string> = {
  machine: 'new',
  waiting: 'waits for its sheet',
  change: 'changes',
  nothing: 'nothing new',
  wrong: 'not taken',
}

export const total = (fleet: Fleet) => Object.values(fleet.counts).reduce((a, b) => a + b, 0)

/** Rows that something comes of. */
export const good = (fleet: Fleet) =>
  (fleet.counts.machine ?? 0) + (fleet.counts.waiting ?? 0) + (fleet.counts.change ?? 0)

/** "12 new machines, 3 that wait for a sheet, 2 changed", without what there is none of. */
export function comesTo(fleet: Fleet): string {
  const { machine = 0, waiting = 0, change = 0, nothing = 0 } = fleet.counts
  const parts = [
    machine && plural(machine, 'new machine'),
    waiting && `${waiting} ${waiting === 1 ? 'that waits' : 'that wait'} for a sheet`,
    change && `${change} changed`,
    nothing && `${nothing} with nothing new`,
  ]
  return parts.filter(Boolean).join(', ') || 'nothing that can be taken'
}
