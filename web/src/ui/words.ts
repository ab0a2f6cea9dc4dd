/** Small wordings that several views share. */
import type { Module } from '@/api/client'

/** How long ago, short: "today", "3 d". */
export function age(at: string, now = new Date()): string {
  const days = Math.floor((now.getTime() - new Date(at).getTime()) / 86_400_000)
  return days < 1 ? 'today' : `${days} d`
}

/** Days after which a survey is told to be old: long enough for somebody to have opened the machine unasked. */
const OLD_AFTER = 180

export function isOld(at: string, now = new Date()): boolean {
  return now.getTime() - new Date(at).getTime() > OLD_AFTER * 86_400_000
}

/** Time of day in the site's zone: "14:02". */
export function clock(at: string, zone: string): string {
  return new Intl.DateTimeFormat('en-GB', { hour: '2-digit', minute: '2-digit', timeZone: zone }).format(new Date(at))
}

/** Day and time in the site's zone. */
export function moment(at: string, zone: string): string {
  return new Intl.DateTimeFormat('en-GB', { dateStyle: 'medium', timeStyle: 'short', timeZone: zone }).format(
    new Date(at),
  )
}

/** A text in at most so many characters; what is left out is shown by its end. */
export const short = (text: string, most: number): string =>
  text.length > most ? `${text.slice(0, most - 1).trimEnd()}…` : text

export function plural(count: number, one: string, many = `${one}s`): string {
  return `${count} ${count === 1 ? one : many}`
}

/** "A, B and C"; of more than so many, the first and how many more there are. */
export function listed(names: readonly string[], most = 4): string {
  const told = names.length > most ? [...names.slice(0, most - 1), `${names.length - most + 1} more`] : names
  return [told.slice(0, -1).join(', '), told.at(-1)].filter(Boolean).join(' and ')
}

/** What is odd about a report, each sentence once with every place that it is said of: "line 1, 2 and 5", at most four of them. */
export function oddities(
  warnings: readonly { where: string; message: string }[],
): { where: string; message: string }[] {
  const places: Record<string, Set<string>> = {}
  for (const w of warnings) (places[w.message] ??= new Set()).add(w.where)
  return Object.entries(places).map(([message, said]) => {
    const names = [...said]
    const lines = names.every((n) => /^line \d+$/.test(n))
    return { where: listed(names.map((n, i) => (i && lines ? n.slice(5) : n))), message }
  })
}

/** Rails as people write them: "1.35 V", or why there is none. */
export function volts(rails: { volts: number | null; possible: number[] }[]): string {
  return rails.map((r) => (r.volts ? `${r.volts} V` : r.possible.length ? 'undecided' : 'none suits all')).join(', ')
}

/** What a slot is made for, of a module: "registered", "unbuffered ECC"; null where nobody told. */
export function kindOf(module: Pick<Module, 'buffering' | 'ecc'>): string | null {
  if (!module.buffering) return null
  return module.buffering === 'unbuffered' && module.ecc
    ? 'unbuffered ECC'
    : module.buffering.replace('-buffered', ' buffered')
}
