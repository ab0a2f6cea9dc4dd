/** The capacity axis of Ceiling: powers of two, and flags that do not run into each other. Pure numbers. */

export interface Flag {
  id: string
  gib: number
  /** 0 = highest. */
  trust: number
  words: string
  note: string
}
export interface PlacedFlag extends Flag {
  x: number
  /** Row of its words, 0 = top. */
  row: number
  /** Words stand left or right of the pole. */
  side: 'left' | 'right'
}
export interface Axis {
  /** Powers of two within reach. */
  ticks: number[]
  x: (gib: number) => number
}

/** An axis from below the least to above the greatest of the values, over a width. */
export function axisOf(values: number[], left: number, right: number): Axis {
  const positive = values.filter((v) => v > 0)
  const known = positive.length ? positive : [8]
  const least = Math.floor(Math.log2(Math.min(...known)))
  // Some room beyond the greatest, for what lies past it.
  const greatest = Math.max(Math.ceil(Math.log2(Math.max(...known)) + 0.3), least + 2)
  const x = (gib: number) =>
    left + ((Math.log2(Math.max(gib, 2 ** least)) - least) / (greatest - least)) * (right - left)
  return { ticks: Array.from({ length: greatest - least + 1 }, (_, i) => 2 ** (least + i)), x }
}

/** Width of words in a flag, roughly. */
const CHARACTER = 7.8
const GAP = 20

/**
 * A row and a side for each flag: more trusted ones stand higher, and no words cover others.
 *
 * @param rows how many rows there are at first; where no free one is left there is one more
 */
export function placeFlags(flags: Flag[], axis: Axis, left: number, right: number, rows: number): PlacedFlag[] {
  const taken: { from: number; to: number }[][] = Array.from({ length: rows }, () => [])
  const poles: { x: number; row: number }[] = []
  const placed: PlacedFlag[] = []
  const trusts = [...new Set(flags.map((f) => f.trust))].sort((a, b) => a - b)
  for (const flag of [...flags].sort((a, b) => a.trust - b.trust || a.gib - b.gib)) {
    const x = axis.x(flag.gib)
    const width = Math.max(flag.words.length, flag.note.length) * CHARACTER + GAP
    const options = (['right', 'left'] as const).map((side) =>
      side === 'right' ? { side, from: x, to: x + width } : { side, from: x - width, to: x },
    )
    const within = options.filter((o) => o.from >= left && o.to <= right)
    // Words for which neither side has the room stand where least of them is lost.
    const over = (o: { from: number; to: number }) => Math.max(left - o.from, o.to - right)
    const inside = within.length ? within : [...options].sort((a, b) => over(a) - over(b)).slice(0, 1)
    const apart = (row: number, o: { from: number; to: number }) =>
      taken[row]!.every((t) => o.to <= t.from || o.from >= t.to)
    // A pole behind words is no harm, for they stand out from it: but a place without one is taken first.
    const behind = (row: number, o: { from: number; to: number }) =>
      poles.filter((p) => p.row < row && p.x > o.from + 2 && p.x < o.to - 2).length +
      taken.reduce(
        (n, some, below) => n + (below > row ? some.filter((t) => x > t.from + 2 && x < t.to - 2).length : 0),
        0,
      )
    const first = Math.min(trusts.indexOf(flag.trust), rows - 1)
    const free = Array.from({ length: taken.length - first }, (_, i) => first + i).flatMap((row) =>
      inside.filter((o) => apart(row, o)).map((o) => ({ ...o, row })),
    )
    const { row, ...chosen } = free.sort((a, b) => behind(a.row, a) - behind(b.row, b) || a.row - b.row)[0] ?? {
      ...inside[0]!,
      row: taken.push([]) - 1,
    }
    taken[row]!.push(chosen)
    poles.push({ x, row })
    placed.push({ ...flag, x, row, side: chosen.side })
  }
  // Rows that nobody stands in are left out.
  const used = [...new Set(placed.map((p) => p.row))].sort((a, b) => a - b)
  return placed.map((p) => ({ ...p, row: used.indexOf(p.row) }))
}
