/** What is bought, in words. */
import type { Brief, Buying, BuyingLine, Order, PlanView } from '@/api/client'
import { plural } from '@/ui/words'

type Take = BuyingLine['takes'][number]

/** "2 kits of 4, QD5R-32K4; 3 left over". */
export function takeWords(take: Take, line: BuyingLine): string {
  const kits = take.kit > 1 ? `${plural(take.kits, 'kit')} of ${take.kit}` : plural(take.modules, 'module')
  const named = take.part === line.part ? kits : `${kits}, ${take.part}`
  return line.left_over && line.takes.at(-1) === take ? `${named}; ${line.left_over} left over` : named
}

/** What a GB of it costs. */
export function perGb(take: Take, gib: number | null | undefined): string {
  const all = (gib ?? 0) * take.modules
  return all ? `${(Number(take.price) / all).toFixed(2)} a GB` : ''
}

type Variant = Brief['lines'][number]['nearly'][number]

/** What was judged beside the very thing. */
export interface Beside {
  asWell: string[]
  nearly: Variant[]
  wrong: Variant[]
  /** What nobody knows yet, and could turn it. */
  open: number
}

/** What does as well, nearly, and not at all for every plan that wants a line; null until all their briefs are here. What is
 * wrong for one of them is wrong; what was not judged for each of them is not called right. */
export function besideOf(line: BuyingLine, briefs: ReadonlyMap<string, Brief>): Beside | null {
  const told = line.needs.map((n) => briefs.get(n.plan_id))
  if (!told.every((b) => b)) return null
  const wanted = told.map((b) => b!.lines.find((w) => w.words.replace(/^\d+ × /, '') === line.words))
  const first = wanted[0]
  if (!first || wanted.some((w) => !w)) return null
  const all = wanted.map((w) => w!)
  const one = (lists: Variant[][]) => [...new Map(lists.flat().map((v) => [v.words, v])).values()]
  const wrong = one(all.map((w) => w.wrong))
  const isWrong = new Set(wrong.map((v) => v.words))
  const inEach = (words: string, of: (w: (typeof all)[number]) => Variant[]) =>
    all.every((w) => of(w).some((v) => v.words === words))
  const nearly = one(all.map((w) => w.nearly)).filter(
    (v) => !isWrong.has(v.words) && inEach(v.words, (w) => [...w.nearly, ...w.as_well]),
  )
  const asWell = first.as_well.map((v) => v.words).filter((words) => inEach(words, (w) => w.as_well))
  return { asWell, nearly, wrong, open: Math.max(...told.map((b) => b!.open.length)) }
}

/** What of it is bought of whom, the dearest first. */
export function bySupplier(buying: Buying): { supplier: string; modules: number; cost: number }[] {
  const found = new Map<string, { supplier: string; modules: number; cost: number }>()
  for (const take of buying.lines.flatMap((l) => l.takes)) {
    const before = found.get(take.supplier) ?? { supplier: take.supplier, modules: 0, cost: 0 }
    found.set(take.supplier, {
      ...before,
      modules: before.modules + take.modules,
      cost: before.cost + Number(take.price),
    })
  }
  return [...found.values()].sort((a, b) => b.cost - a.cost)
}

type Came = Order['lines'][number]['arrivals'][number]

/** What came against what was ordered: its mark, and in words. */
export const CAME: Record<Came['came'], { severity: 'go' | 'ask' | 'risk' | 'stop'; words: string }> = {
  right: { severity: 'go', words: 'right' },
  open: { severity: 'ask', words: 'right as far as it was read' },
  'other revision': { severity: 'risk', words: 'another revision' },
  'other chips': { severity: 'risk', words: 'other chips' },
  'other part': { severity: 'risk', words: 'another part' },
  wrong: { severity: 'stop', words: 'wrong' },
}

/** What became of it. */
export function became(came: Came): string {
  if (came.kept) return 'on the Shelf'
  return came.reference ? `goes back, ${came.reference}` : 'waits for your word'
}

/** How an order stands: "3 of 4 to come, 2 days late". */
export function standing(order: Order): string {
  if (order.closed) return order.pending ? `${order.pending} never came` : 'all here'
  if (!order.pending) return 'all here'
  const late = order.days_late
    ? `, ${plural(order.days_late, 'day')} late`
    : order.due_on
      ? `, due ${order.due_on}`
      : ''
  return `${order.pending} of ${order.modules} to come${late}`
}

export type Waits = NonNullable<PlanView['waits']>
const today = () => new Date().toISOString().slice(0, 10)
export const isLate = (w: Waits) => !!w.due_on && w.due_on < today()
/** "waits for 12 modules, due 3 Dec". */
export function waitsWords(w: Waits): string {
  const day =
    w.due_on &&
    new Date(`${w.due_on}T12:00:00Z`).toLocaleDateString('en-GB', { day: 'numeric', month: 'short', timeZone: 'UTC' })
  return `waits for ${plural(w.modules, 'module')}${!day ? ', nobody said when' : isLate(w) ? `, late since ${day}` : `, due ${day}`}`
}
