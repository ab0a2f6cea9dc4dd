/** Rounds in words, and where what is passed on is drawn. */
import type { Round } from '@/api/client'
import { percents } from '@/ui/figures'
import { plural } from '@/ui/words'

export type Proposal = NonNullable<Round['proposal']>
export type Row = Proposal['rows'][number]
export type Asked = Round['asked']

const DAY = new Intl.DateTimeFormat('en-GB', { weekday: 'short', day: 'numeric', month: 'short', timeZone: 'UTC' })

/** "Thu 3 Dec". */
export const dayWords = (day: string): string => DAY.format(new Date(`${day}T00:00:00Z`)).replace(',', '')

export const money = (amount: string | number): string => Number(amount).toFixed(2)
/** To a tenth where it is small: of a round that is money. */
export const percent = (share: number): string => percents((share * 100).toFixed(share < 0.1 ? 1 : 0))

export const STATES: Record<Round['state'], { severity: 'ask' | 'note' | 'go' | 'slow'; words: string }> = {
  asked: { severity: 'ask', words: 'not solved yet' },
  searching: { severity: 'slow', words: 'being solved' },
  proposed: { severity: 'ask', words: 'proposed, to be accepted' },
  accepted: { severity: 'note', words: 'under way' },
  done: { severity: 'go', words: 'done' },
}

type PlanState = Round['plans'][number]['state']
export const PLAN_STATES: Record<
  PlanState,
  { severity: 'stop' | 'ask' | 'risk' | 'slow' | 'note' | 'go'; words: string }
> = {
  draft: { severity: 'note', words: 'planned' },
  approved: { severity: 'note', words: 'approved' },
  'under way': { severity: 'slow', words: 'under way' },
  proved: { severity: 'go', words: 'proved' },
  waived: { severity: 'risk', words: 'on duty, waived' },
  'backed out': { severity: 'stop', words: 'went back' },
  discarded: { severity: 'note', words: 'discarded' },
}

/** Whether nothing better can be, of what is asked and the routes that there were to choose from. */
export const isProved = (p: Proposal): boolean =>
  p.ended === 'proved' && p.gap === 0 && p.rows.some((r) => r.need_gib !== null)

/** How sure it is that nothing better can be: what a machine needs that nobody said is not asked, and routes that were not looked at may be better. */
export function provedWords(p: Proposal): string {
  const asked = p.rows.filter((r) => r.need_gib !== null)
  if (!asked.length) return 'Nothing is asked: nobody said what any of these machines needs'
  if (isProved(p)) {
    const untold = asked.length < p.rows.length ? ` for ${plural(asked.length, 'machine')} whose need is told` : ''
    const cut = asked.filter((r) => !r.ways_whole).length
    return cut
      ? `Proved: of the routes that were weighed there is no better choice${untold}; of ${plural(cut, 'machine')} not all were`
      : `Proved: there is no better choice${untold}`
  }
  const found = p.ended === 'stopped' ? 'Stopped: the best found so far' : 'The best found in time'
  return p.gap !== null && p.gap_money !== null
    ? `${found}, at most ${percent(p.gap)} (${money(p.gap_money)} ${p.currency}) above the best there can be`
    : `${found}; how near the best is not known yet`
}

/** Modules that go from one machine of the round to another, by both. */
export function handed(p: Proposal): { donor: string; to: string; count: number; words: string }[] {
  const found = new Map<string, { donor: string; to: string; count: number; words: string }>()
  for (const x of p.passed) {
    if (!x.donor) continue
    const key = `${x.donor} ${x.to}`
    const before = found.get(key)
    found.set(key, {
      donor: x.donor,
      to: x.to,
      count: (before?.count ?? 0) + x.count,
      words: [before?.words, `${x.count} × ${x.words}`].filter(Boolean).join(', '),
    })
  }
  return [...found.values()]
}

/** Where the modules of a machine come from, in a few words: "4 of map-01, 2 of the Shelf". */
export function fromWords(p: Proposal, row: Row): string {
  const names = new Map(p.rows.map((r) => [r.machine_id, r.machine]))
  return p.passed
    .filter((x) => x.to === row.machine_id)
    .map((x) => `${x.count} ${x.source === 'bought' ? 'new' : `of ${x.donor ? names.get(x.donor) : 'the Shelf'}`}`)
    .join(', ')
}

/** A line from one cell of the picture to another. [px] */
export interface Flow {
  path: string
  /** Where its count stands. */
  x: number
  y: number
  count: number
  title: string
}

export interface Place {
  x: number
  y: number
}

/** Each leaves its donor's cell at the right and comes into its heir's from the left; those of one donor do not lie on each other. */
export function flowsOf(
  p: Proposal,
  cell: (machine: string, day: string) => { left: Place; right: Place } | null,
): Flow[] {
  const days = new Map(p.rows.flatMap((r) => (r.served ? [[r.machine_id, r.served.day]] : [])))
  const leaving = new Map<string, number>()
  return handed(p).flatMap(({ donor, to, count, words }) => {
    const from = cell(donor, days.get(donor) ?? '')?.right
    const into = cell(to, days.get(to) ?? '')?.left
    if (!from || !into) return []
    const n = leaving.get(donor) ?? 0
    leaving.set(donor, n + 1)
    const y = from.y - 4 + 6 * n
    const bend = Math.min(from.x + 14 + 5 * n, into.x - 24)
    const turn = Math.sign(into.y - y) * 8
    const path = [
      `M${from.x} ${y} C${bend} ${y} ${bend} ${y} ${bend} ${y + turn}`,
      `L${bend} ${into.y - turn} C${bend} ${into.y} ${bend} ${into.y} ${into.x - 6} ${into.y}`,
    ]
    return [
      {
        path: path.join(' '),
        x: Math.max(bend + 6, into.x - 20),
        y: into.y,
        count,
        title: words,
      },
    ]
  })
}
