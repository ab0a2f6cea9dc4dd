/** The wall of machines: one scale of capacity for every row, in doublings. */

/** What rows are grouped by; '' = one list. */
export type By = '' | 'place' | 'group' | 'model'

/** Where the scale begins and ends. [GB] */
export interface Scale {
  from: number
  to: number
}

/** The scale on which all of these can be seen: whole doublings, four of them at least. */
export function scaleOf(gib: number[]): Scale {
  const told = gib.filter((g) => g > 0)
  const low = Math.floor(Math.log2(Math.min(...told, 16)))
  const high = Math.ceil(Math.log2(Math.max(...told, 32)))
  return { from: 2 ** Math.max(0, Math.min(low, high - 4)), to: 2 ** high }
}

/** Where a capacity stands, as a share of the scale; what is below its beginning stands there. */
export function at(gib: number, { from, to }: Scale): number {
  return gib <= from ? 0 : Math.min(1, Math.log2(gib / from) / Math.log2(to / from))
}

/** The doublings that are named: every second one where there are many. */
export function ticks({ from, to }: Scale): number[] {
  const step = Math.log2(to / from) > 7 ? 4 : 2
  const found = []
  for (let t = to; t >= from; t /= step) found.unshift(t)
  return found
}

/** A capacity as short as it can be said: 512, 1 TB. */
export const short = (gib: number) => (gib >= 1024 ? `${gib / 1024} TB` : String(gib))
