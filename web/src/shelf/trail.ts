/** The way of one module, in words. */
import type { Trail } from '@/api/client'
import { KINDS } from '@/stations/survey/words'
import { plural } from '@/ui/words'
import { CAME } from './buying'
import { STATES } from './words'

export type TrailLine = Trail['lines'][number]

/** Where it is, or was, in a few words. */
export function placeWords(l: TrailLine): string {
  if (l.where === 'fitted') return `${l.machine}, slot ${l.slot}`
  if (l.where === 'shelf') return ['on the Shelf', l.place].filter(Boolean).join(', ')
  if (l.where === 'noted') return `${l.machine}${l.slot ? `, slot ${l.slot}` : ''}`
  return l.place
}

/** Whether it is there, by all that is known. */
export const isThere = (l: TrailLine) => (l.where === 'fitted' || l.where === 'shelf') && !l.until

const came = (l: TrailLine) => CAME[l.state as keyof typeof CAME]?.words ?? l.state

/** What happened there: "put on the Shelf as pulled". */
export function whatWords(l: TrailLine): string {
  switch (l.where) {
    case 'fitted':
      return `seen: ${KINDS[l.by] ?? l.by}`
    case 'shelf':
      return [
        `put on the Shelf by ${l.by} as ${(STATES[l.state] ?? l.state).toLowerCase()}`,
        l.note,
        l.reference && `under ${l.reference}`,
        l.due_on && `to be answered by ${l.due_on}`,
      ]
        .filter(Boolean)
        .join('; ')
    case 'noted':
      return `${l.state === 'found' ? 'found at fault' : 'noted as it went in'} by ${l.by}, ${l.note}`
    case 'sent back':
      return `${came(l)}; sent back under ${l.reference}`
    default:
      return `came: ${came(l)}, read in by ${l.by}`
  }
}

/** What its machine saw of it; "" = nothing. */
export function healthWords(l: TrailLine): string {
  const counted =
    l.correctable === null || l.correctable === undefined
      ? ''
      : l.correctable || l.uncorrectable
        ? `${plural(l.correctable, 'error')} corrected${l.uncorrectable ? `, ${l.uncorrectable} not` : ''}`
        : 'no error counted'
  return [l.failed_at ? 'found at fault' : '', counted].filter(Boolean).join('; ')
}

/** Where it is now; several places cannot all be true. */
export function nowWords(t: Trail): string {
  if (!t.now.length) {
    const last = t.lines[0]
    return last ? `Nobody knows where it is. Last: ${placeWords(last)}.` : ''
  }
  if (t.now.length > 1)
    return `Told to be in ${plural(t.now.length, 'place')} at once, which cannot be: ${t.now.map(placeWords).join(', and ')}.`
  return `It is ${t.now[0]!.where === 'fitted' ? 'in ' : ''}${placeWords(t.now[0]!)}.`
}
