/** What wants somebody, in order and in words. */
import type { Desk } from '@/api/client'

export type Item = Desk['items'][number]
export type Section = Item['section']
export type Whose = 'all' | 'mine' | 'nobody’s'
export type Order = 'worst' | 'longest'

export const SECTIONS: Record<Section, string> = {
  'stops work': 'stops work',
  'waits for a word': 'waits for a word',
  changed: 'changed',
  'under way or in doubt': 'under way or in doubt',
  'today and this week': 'today and this week',
}

/** Grouped by what it wants, as the server has ranked it; or in one list, what waits longest first: what nobody dated is last. */
export function order(items: Item[], whose: Whose, by: Order): { section: Section | null; items: Item[] }[] {
  const some = items.filter((i) => (whose === 'mine' ? i.mine : whose === 'all' || !i.who))
  if (by === 'longest') {
    const at = (i: Item) => (i.since ? new Date(i.since).getTime() : i.due ? new Date(i.due).getTime() : Infinity)
    return some.length ? [{ section: null, items: [...some].sort((a, b) => at(a) - at(b)) }] : []
  }
  return (Object.keys(SECTIONS) as Section[])
    .map((section) => ({ section, items: some.filter((i) => i.section === section) }))
    .filter((g) => g.items.length)
}

/** How long it waits, or when it is due: "22 min", "3 d", "4 d late", "due in 3 d". */
export function since(item: Item, now = new Date()): string {
  const day = 86_400_000
  if (item.due) {
    const days = Math.round(
      (new Date(`${item.due}T00:00:00Z`).getTime() - new Date(now.toISOString().slice(0, 10)).getTime()) / day,
    )
    return days < 0 ? `${-days} d late` : days ? `in ${days} d` : 'today'
  }
  if (!item.since) return ''
  const minutes = Math.max(0, Math.floor((now.getTime() - new Date(item.since).getTime()) / 60_000))
  if (minutes < 60) return `${minutes} min`
  return minutes < 24 * 60 ? `${Math.floor(minutes / 60)} h` : `${Math.floor(minutes / 1440)} d`
}
