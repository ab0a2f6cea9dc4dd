/** Part numbers: where each is shown, and what its sightings say beside one another. */
import type { Module, PartView } from '@/api/client'
import { plural } from '@/ui/words'

export const partPath = (number: string): string => `/shelf/parts/${encodeURIComponent(number)}`

export const modulePath = (serial: string): string => `/shelf/modules/${encodeURIComponent(serial)}`

export type Sighting = PartView['sightings'][number]

/** Sightings that say the same of every member, as one column. */
export interface Column {
  key: string
  first: Sighting
  others: Sighting[]
}

const valueOf = (m: Module, member: string): unknown => (m as unknown as Record<string, unknown>)[member]
const told = (value: unknown): boolean =>
  value !== null && value !== undefined && !(Array.isArray(value) && !value.length)

export function columnsOf(part: PartView): Column[] {
  const columns = new Map<string, Column>()
  for (const s of part.sightings) {
    const key = JSON.stringify([s.number, ...part.facts.map((f) => valueOf(s.module, f.member) ?? null)])
    const column = columns.get(key)
    if (column) column.others.push(s)
    else columns.set(key, { key, first: s, others: [] })
  }
  return [...columns.values()]
}

/** What a column says of a member, and whether others say otherwise; null where it tells nothing of it. */
export function saidBy(part: PartView, column: Column, member: string): { words: string; disputed: boolean } | null {
  const fact = part.facts.find((f) => f.member === member)
  const value = valueOf(column.first.module, member)
  if (!fact || !told(value)) return null
  const said = fact.said.find((s) => JSON.stringify(s.value) === JSON.stringify(value))
  // A rate that firmware tells lower than others do may be the clock at which it ran: shown, and not held against them.
  return { words: said?.words ?? `${String(value)} MT/s, may be its clock`, disputed: fact.said.length > 1 && !!said }
}

/** Where a column was seen: "offer of Merrow Supply, 2026-11-24", and how many more say so. */
export function whereWords(column: Column): string {
  const { first, others } = column
  const more = others.length ? `; and ${plural(others.length, 'more place')}` : ''
  return `${first.where}${first.on ? `, ${first.on}` : ''}${more}`
}

/**
 * Chips to be counted on a module, from its ranks, width and error-correcting bits; null where one of them is not known.
 * `ranks * (64 + ECC bits) / width`, of DDR5 `2 * ranks * ceil((32 + ECC bits) / width)`; stacked chips count as one.
 */
export function chips(m: Module): number | null {
  const { package_ranks: ranks, device_width: width, ecc_bits: bits } = m
  if (!ranks || !width || bits === null || bits === undefined) return null
  return m.generation === 'DDR5' ? 2 * ranks * Math.ceil((32 + bits) / width) : (ranks * (64 + bits)) / width
}
