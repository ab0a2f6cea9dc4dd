/** Target in words. */
import type { PriceAt, SizingView, SymptomsView, Totals } from '@/api/client'
import { gbDown, gbUp, meets, percent } from '@/ui/figures'
import { money } from '../routes/words'

/** The risks at which a total can be had, the surest first. */
export const RISKS = [
  { key: 'vouched', words: 'the maker stands behind', wishes: { third_party: false, over_official: false } },
  { key: 'likely', words: 'likely to work', wishes: { top_trouble: 0.25 } },
  { key: 'bold', words: 'may work', wishes: {} },
] as const

export const USES: Record<string, string> = {
  starved: 'Starved: nearly all of it is in use.',
  idle: 'Idle: less than half of it is in use.',
  fitting: 'It fits what is in use.',
}

/** Whether the rest of its group carries the load. */
export function dutyWords(duty: NonNullable<SizingView['duty']>): string {
  if (duty.fits === false) return 'It must not be opened now: the rest cannot carry the load.'
  if (duty.fits === null)
    return `Whether it may be opened now cannot be told: nobody said what ${duty.unknown.join(', ')} ${duty.unknown.length > 1 ? 'carry' : 'carries'}.`
  if (duty.fits_with_one_lost === false)
    return 'The rest carries the load, but not if one more is lost: it must not be opened now.'
  if (duty.largest_fits === false)
    return 'The rest carries the load in sum, also with one more lost, but no single one of it has room for the largest load.'
  return 'It may be opened now: the rest carries the load, also with one more lost.'
}

/** Whether one of the others could take its largest load as a whole; "" where it carries none. */
export function largestWords(duty: NonNullable<SizingView['duty']>): string {
  if (duty.largest_gib === null)
    return 'Whether its largest load finds room as a whole cannot be told: nobody said what it carries.'
  if (!duty.largest_gib) return ''
  const load = `Its largest single load, ${gbUp(duty.largest_gib)} GB,`
  if (duty.largest_fits)
    return `${load} finds room as a whole: ${duty.largest_goes_to} has ${gbDown(duty.largest_room_gib!)} GB free.`
  const most =
    duty.largest_room_gib === null
      ? 'none of the others’ loads is known'
      : `the most that one of the others is known to have free is ${gbDown(Math.max(0, duty.largest_room_gib))} GB`
  return duty.largest_fits === false
    ? `${load} finds room on none of the others: ${most}. Sums alone would not tell.`
    : `Whether ${load.toLowerCase()} finds room as a whole cannot be told: ${most}.`
}

export const mayOpen = (duty: NonNullable<SizingView['duty']>): 'go' | 'stop' | 'ask' =>
  duty.fits === null
    ? 'ask'
    : !duty.fits || !duty.fits_with_one_lost || duty.largest_fits === false
      ? 'stop'
      : duty.largest_fits === null
        ? 'ask'
        : 'go'

/** What the cheapest way costs. */
export function costWords(p: PriceAt, of: Totals): string {
  if (p.cost === null) return p.modules ? 'no price' : 'nothing to buy'
  return Number(p.cost) ? money(p.cost, of.currency) : 'nothing to buy'
}

/** "16 modules, 4800 MT/s, balance 1.00, trouble 14 %". */
export function wayWords(p: PriceAt): string {
  return [
    `${p.modules} ${p.modules === 1 ? 'module' : 'modules'}`,
    p.data_rate_mts && `${p.data_rate_mts} MT/s`,
    p.balance !== null && p.balance < 1 && `balance ${p.balance.toFixed(2)}`,
    p.trouble && `trouble ${percent(p.trouble)}`,
  ]
    .filter(Boolean)
    .join(', ')
}

/** "enough", or how much is lacking. */
export function shortWords(usable: number, need: number): string {
  return meets(usable, need) ? `${gbDown(usable - need)} GB to spare` : `${gbUp(need - usable)} GB short`
}

/** What was seen, in a line. */
export function seenWords(s: SymptomsView['seen'][number]['symptoms']): string {
  return [
    s.used_gib !== null && `${s.used_gib} GB in use`,
    s.swapped_gib !== null &&
      `${s.swapped_gib} GB in swap${s.pages === null ? '' : s.pages ? ', coming back all the time' : ', hardly coming back'}`,
    s.cache_gib !== null && `a cache of ${s.cache_gib} GB`,
    s.cache_hit !== null && `${percent(s.cache_hit)} of reads answered`,
    s.refused !== null && `${s.refused} without room${s.refused_gib === null ? '' : `, ${s.refused_gib} GB each`}`,
  ]
    .filter(Boolean)
    .join(', ')
}
