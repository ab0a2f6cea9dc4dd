/** The plot of routes: cost against what it gives. Pure numbers. */

export interface Point {
  /** Place in the list. */
  index: number
  cost: number
  value: number
  /** Probability of trouble. */
  trouble: number
  /** Words beside the mark; "" = none. */
  words: string
}
export interface PlacedPoint extends Point {
  x: number
  y: number
  /** Where its figures put it, had others not been there before: its mark stands beside them. */
  true: { x: number; y: number }
  /** Half the mark's width. */
  size: number
  /** Where the words begin or end, and on which side; null where there is no room for them. */
  label: { x: number; y: number; anchor: 'start' | 'end' } | null
}
export interface Scale {
  ticks: number[]
  at: (value: number) => number
}

/** A scale with round steps to beyond the greatest value: from nothing, or where all lies far from it from below the least. */
export function scaleOf(values: number[], from: number, to: number, atLeast = 4): Scale {
  const most = Math.max(...values, 1)
  const least = Math.min(...values)
  const low =
    least > 0.35 * most && least < most ? Math.max(0, least - Math.max(0.12 * (most - least), 0.06 * most)) : 0
  const raw = (most - low) / atLeast
  const size = 10 ** Math.floor(Math.log10(raw))
  const step = [1, 2, 2.5, 5, 10].map((m) => m * size).find((s) => s >= raw)!
  const begin = Math.floor(low / step) * step
  const end = Math.ceil((most + 0.02 * (most - begin)) / step) * step
  const ticks = Array.from({ length: Math.round((end - begin) / step) + 1 }, (_, i) => begin + i * step)
  return { ticks, at: (value) => from + ((value - begin) / (end - begin)) * (to - from) }
}

/** A scale of money. Where one way costs many times what most do, by square roots: the others would stand in a heap at its end. */
export function moneyScale(values: number[], from: number, to: number): Scale {
  const sorted = values.filter((v) => v > 0).sort((a, b) => a - b)
  const most = sorted.at(-1) ?? 0
  if (sorted.length < 4 || most <= 3 * sorted[Math.floor(sorted.length / 2)]!) return scaleOf(values, from, to)
  const at = (value: number) => from + Math.sqrt(Math.max(value, 0) / (1.05 * most)) * (to - from)
  const ticks: number[] = []
  for (let size = 10 ** Math.floor(Math.log10(most)); size >= most / 1000; size /= 10)
    for (const tick of [5, 2, 1].map((m) => m * size))
      if (tick <= 1.05 * most && at(tick) - from >= ROOM && (!ticks.length || at(ticks[0]!) - at(tick) >= ROOM))
        ticks.unshift(tick)
  return { ticks: [0, ...ticks], at }
}
/** Between two figures along a scale. [px] */
const ROOM = 56

/** A scale of sizes by powers of two, from below the least to beyond the greatest; sizes differ by factors. */
export function doublingScale(values: number[], from: number, to: number): Scale {
  const positive = values.filter((v) => v > 0)
  const low = Math.floor(Math.log2(Math.min(...positive, 2 ** 40)) * 2) / 2 - 0.25
  const high = Math.max(Math.log2(Math.max(...positive, 1)) + 0.25, low + 1)
  const at = (value: number) => from + ((Math.log2(Math.max(value, 2 ** low)) - low) / (high - low)) * (to - from)
  const ticks = Array.from({ length: Math.floor(high) - Math.ceil(low) + 1 }, (_, i) => 2 ** (Math.ceil(low) + i))
  return { ticks, at }
}

const CHARACTER = 6.6

/** Each mark at its place or, where another covers it, at the nearest beside. */
function toldApart<M extends { true: { x: number; y: number }; size: number }>(
  marks: M[],
  left: number,
  right: number,
): (M & { x: number; y: number })[] {
  const placed: (M & { x: number; y: number })[] = []
  const clear = (x: number, y: number, size: number) =>
    placed.every((p) => Math.hypot(p.x - x, p.y - y) >= 0.8 * (p.size + size))
  for (const m of marks) {
    let at = m.true
    for (let ring = 1; ring <= 12 && !clear(at.x, at.y, m.size); ring++) {
      // To the sides before up and down: a place off the level of what it gives misleads more.
      const turns = [0, 8, 1, 7, 9, 15, 2, 6, 10, 14, 3, 5, 11, 13, 4, 12].map((n) => (n * Math.PI) / 8)
      const beside = turns
        .map((t) => ({ x: m.true.x + 5 * ring * Math.cos(t), y: m.true.y + 5 * ring * Math.sin(t) }))
        .filter((p) => p.x - m.size >= left && p.x + m.size <= right)
      at = beside.find((p) => clear(p.x, p.y, m.size)) ?? at
    }
    placed.push({ ...m, ...at })
  }
  return placed
}

/** Marks and, as far as they keep clear of each other, words beside them; points that come first are served first. */
export function placePoints(points: Point[], x: Scale, y: Scale, left: number, right: number): PlacedPoint[] {
  const marks = toldApart(
    points.map((p) => ({ ...p, true: { x: x.at(p.cost), y: y.at(p.value) }, size: 6.5 + 9 * Math.sqrt(p.trouble) })),
    left,
    right,
  )
  const taken = marks.map((m) => ({ x0: m.x - m.size, x1: m.x + m.size, y0: m.y - m.size, y1: m.y + m.size }))
  return marks.map((mark) => {
    if (!mark.words) return { ...mark, label: null }
    const width = mark.words.length * CHARACTER
    for (const dy of [0, -13, 13, -26, 26]) {
      for (const anchor of ['start', 'end'] as const) {
        const at = anchor === 'start' ? mark.x + mark.size + 9 : mark.x - mark.size - 9
        const box = {
          x0: anchor === 'start' ? at : at - width,
          x1: anchor === 'start' ? at + width : at,
          y0: mark.y + dy - 7,
          y1: mark.y + dy + 7,
        }
        const clear = taken.every((t) => t.x1 < box.x0 || t.x0 > box.x1 || t.y1 < box.y0 || t.y0 > box.y1)
        if (clear && box.x0 >= left && box.x1 <= right) {
          taken.push(box)
          return { ...mark, label: { x: at, y: mark.y + dy + 4, anchor } }
        }
      }
    }
    return { ...mark, label: null }
  })
}
