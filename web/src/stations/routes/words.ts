/** Routes in words. */
import type { Layout, Module, Route, RoutesView, Wishes } from '@/api/client'
import { counted, gb, troubled } from '@/ui/figures'
import { kindOf, plural } from '@/ui/words'
import { VERDICTS } from '@/ui/verdict'

export const NAMES: Record<string, string> = {
  cheapest: 'cheapest',
  'in-warranty': 'inside the warranty',
  safest: 'safest',
  fastest: 'fastest',
  largest: 'largest',
  'most-room': 'most slots left',
  'least-handling': 'least handling',
}

/** Wishes as the search names them, in words of what is given up. */
export const WISHES: Record<string, string> = {
  usable_gib: 'the usable total',
  budget: 'the budget',
  keep_warranty: 'leaving closed what ends the warranty',
  third_party: 'listed parts only',
  over_official: 'staying within the official total',
  free_slots: 'the slots left free',
  rate_mts: 'the least data rate',
  keep_fitted: 'keeping what is fitted',
  top_trouble: 'the most trouble',
  uneven: 'even layouts only',
  less_memory: 'leaving no less memory than now',
  less_bandwidth: 'running no slower than now',
  move_content: 'leaving what keeps its content where it is',
}
/** Wishes that stand while nothing is said, and are given up by saying yes. */
const UNLESS = ['uneven', 'less_memory', 'less_bandwidth', 'move_content']

/** The wish given up, as a change of the wishes. */
export function given(up: string): Partial<Wishes> {
  return { [up]: UNLESS.includes(up) ? true : null }
}

/** A, B, ... Z, then 27, 28, ... */
export const letterOf = (i: number): string => (i < 26 ? String.fromCharCode(65 + i) : String(i + 1))

/** Kinds of modules that stay or go, if any are known. */
function kindsNow(route: Route): Set<string> {
  const there = route.actions.flatMap((a) => (a.from && a.from !== 'mat' && a.module) || [])
  // Of which nobody told whether it corrects errors may be either.
  return new Set(
    there
      .flatMap((m) => (m.ecc === null ? [kindOf(m), kindOf({ ...m, ecc: true })] : [kindOf(m)]))
      .filter((k) => k !== null),
  )
}
/** The kind of what comes in, where it is none of those that are there now. */
function otherKind(module: Module | null, now: Set<string>): string {
  const kind = module && kindOf(module)
  return kind && now.size && !now.has(kind) ? kind : ''
}

/** What comes in and goes, short: "8 x 32 GB QD5R-32 in, 4 x 16 GB out"; with its kind where that is another than now. */
export function routeWords(route: Route): string {
  const kinds = kindsNow(route)
  const counted = (what: string[]) => {
    const told = new Map<string, number>()
    for (const a of route.actions) {
      if (!what.includes(a.do) || a.to === 'mat' || a.from === 'mat') continue
      const more = what[0] === 'put-in' ? [otherKind(a.module, kinds), a.module?.part] : []
      const size = a.module?.capacity_gib || !a.module?.failed ? `${gb(a.module?.capacity_gib)} GB` : 'module'
      const key = [a.module?.failed && 'failed', size, ...more].filter(Boolean).join(' ')
      told.set(key, (told.get(key) ?? 0) + 1)
    }
    return [...told].map(([words, n]) => (n > 1 ? `${n} x ${words}` : words)).join(' and ')
  }
  const comes = counted(['put-in'])
  const goes = counted(['take-out'])
  const moves = route.actions.filter((a) => a.do === 'move').length
  return (
    [comes && `${comes} in`, goes && `${goes} out`, moves && `${moves} moved`].filter(Boolean).join(', ') || 'as it is'
  )
}

/** What the machine holds by a route's changes, or by those of its first stage; without any, what it held when they were looked for. */
export function layoutOf(view: Pick<RoutesView, 'modules' | 'fitted'>, changes: Route['changes'] = {}): Layout {
  const layout: Layout = {}
  for (const [slot, at] of Object.entries(view.fitted)) layout[slot] = at === null ? 'unknown' : view.modules[at]!
  for (const [slot, at] of Object.entries(changes)) {
    if (at === null) delete layout[slot]
    else layout[slot] = view.modules[at]!
  }
  return layout
}
/** What a route gives at a time; null where that is not known of every processor with modules. [GB/s] */
export function fastOf(route: Route): number | null {
  return route.evaluation.sockets.some((s) => s.gib > 0 && s.sustained_gbs === null) ? null : route.sustained_gbs
}
/** A difference against now: "+64", "-3.2", "as now". */
export function signed(by: number): string {
  const shown = gb(Math.abs(by))
  return shown === '0' ? 'as now' : `${by < 0 ? '−' : '+'}${shown}`
}

/** What a machine has now; `open`: of so many slots nobody knows how much is in them, and it has more than `usable`. */
export interface Had {
  usable: number
  open: number
  gbs: number
}
/** What a route has more than now; null where that is not known. [GB] */
export const gained = (route: Route, now: Had): number | null =>
  now.open || route.evaluation.not_counted ? null : route.usable_gib - now.usable
/** What is usable of a route. [GB] */
export const usableOf = (route: Route): string => counted(route.usable_gib, route.evaluation.not_counted)

/** What one may come to regret of a route: what it takes away, closes, or leaves over. */
export function regrets(route: Route, now: Had): string[] {
  const leaves = route.actions.filter((a) => a.do === 'take-out' && a.to === null)
  const unseen = leaves.filter((a) => a.module === null).length
  const out = leaves.length - unseen
  const comes = route.actions.filter((a) => a.do === 'put-in' && a.from === null).length
  const kinds = kindsNow(route)
  const others = new Set(
    route.actions.map((a) => (a.do === 'put-in' ? otherKind(a.module, kinds) : '')).filter(Boolean),
  )
  const over = route.buy.reduce((sum, b) => sum + b.count, 0) - comes
  return [
    now.gbs > 0 &&
      fastOf(route) !== null &&
      route.sustained_gbs < now.gbs - 0.05 &&
      `it runs slower than now: ${gb(now.gbs - route.sustained_gbs)} of ${gb(now.gbs)} GB/s are given up`,
    route.usable_gib < now.usable - 0.05 &&
      `it leaves less than now: ${gb(now.usable - route.usable_gib)} GB are given up`,
    route.evaluation.findings.find((f) => f.code === 'risk.content')?.message,
    unseen && `what comes out of ${plural(unseen, 'slot')} nobody looked at: it may be more than what comes in`,
    others.size > 0 && `${[...others].join(' and ')} modules are another kind than what runs now`,
    out && `${plural(out, 'module')} that ${out === 1 ? 'runs' : 'run'} now ${out === 1 ? 'comes' : 'come'} out`,
    !route.free_slots && 'no slot stays free: the next step takes modules out again',
    over > 0 && `kits are bought whole: ${plural(over, 'module')} left over for the Shelf`,
    !route.in_warranty && 'the maker need not stand behind it',
  ].filter((w): w is string => Boolean(w))
}

/** What may be done about trouble. */
export const LEVERS: Record<string, string> = {
  'one-kit': 'one kit throughout',
  'new-ones': 'new modules instead of pulled ones',
  'known-kind': 'a kind that is known here',
  staging: 'one module first, then the rest',
  soak: 'a soak before it is back on duty',
  backup: 'one more tier of backup',
  'keep-old': 'keeping the old modules',
}

/** What could be tried before deciding. */
export const ACTS: Record<string, string> = {
  'count-chips': 'Count the chips',
  'read-spd': 'Read the SPD of one',
  borrow: 'Borrow a like module from the Shelf',
  'buy-one': 'Buy one that can be returned',
  stage: 'Put in the first module and prove it',
}

export const troubleOf = (route: Route): string => troubled(route.trouble, route.evaluation.not_counted)

/** "14 % (9 to 31)", or that nothing is doubted. */
export function troubleWords(route: Route): string {
  if (!route.trouble) return 'none: nothing new'
  const { low, high } = route.trouble_range
  return `${troubleOf(route)} (${Math.round(100 * low)} to ${Math.round(100 * high)})`
}

/** What trouble costs on average; nothing can be said while this installation has not said what its hours and returns cost. */
export function lossWords(loss: number, costs: RoutesView['money']): string {
  const told = costs.hour || costs.downtime_hour || costs.returned || costs.data
  return told ? money(loss, costs.currency) : 'not told: no costs are set'
}

export function money(amount: string | number, currency: string): string {
  return `${Number(amount).toFixed(2)} ${currency}`
}

/** The rate of the slowest socket with memory. */
export const rateOf = (route: Route): number | null => route.evaluation.data_rate_mts

/** The least balance over sockets that hold memory. */
export function balanceOf(route: Route): number | null {
  const known = route.evaluation.sockets.map((s) => s.balance).filter((b) => b !== null)
  return known.length ? Math.min(...known) : null
}

/** Its verdict, and whether the maker stands behind it. */
export function verdictWords(route: Route): string {
  return `${VERDICTS[route.evaluation.verdict].words}${route.in_warranty ? ', inside the warranty' : ''}`
}

/** Which severity's shape and colour a verdict has. */
export const shapeOf = (route: Route) => VERDICTS[route.evaluation.verdict].severity

/** Where a route is in a later answer of the same search, or -1: the same things done for the same money, whichever of equal slots. */
export function whereNow(route: Route | undefined, routes: Route[]): number {
  if (!route) return -1
  const same = (r: Route) =>
    r.cost === route.cost && r.usable_gib === route.usable_gib && routeWords(r) === routeWords(route)
  return routes.findIndex(same)
}

/** No dearer, no smaller, no slower and no riskier. */
export const beats = (one: Route, other: Route): boolean =>
  Number(one.cost) <= Number(other.cost) &&
  one.usable_gib >= other.usable_gib &&
  one.sustained_gbs >= other.sustained_gbs &&
  one.trouble <= other.trouble

/** What modules are that nobody offers: more of what is fitted only where some of it has a number to ask for. */
export function assumedWords(fitted: Layout, board: string): string {
  const known = Object.values(fitted).some((m) => typeof m === 'object' && m?.part && !m.failed)
  return `${known ? 'more of what is fitted, and ' : ''}what the standards have and ${board} takes`
}
