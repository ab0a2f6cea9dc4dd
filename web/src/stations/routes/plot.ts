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
  /** Half the mark's width. */
  size: number
  /** Where the words begin or end, and on which side; null where there is no room for them. */
  label: { x: number; y: number; anchor: 'start' | 'end' } | null
}
export interface Scale {
  ticks: number[]
  at: (value: number) => number
}

/** A scale from nothing to beyond the greatest value, with round steps. */
export function scaleOf(values: number[], from: number, to: number, atLeast = 4): Scale {
  const most = Math.max(...values, 1)
  const raw = most / atLeast
  const size = 10 ** Math.floor(Math.log10(raw))
  const step = [1, 2, 2.5, 5, 10].map((m) => m * size).find((s) => s >= raw)!
  const end = Math.ceil((most * 1.02) / step) * step
  const ticks = Array.from({ length: Math.round(end / step) + 1 }, (_, i) => i * step)
  return { ticks, at: (value) => from + (value / end) * (to - from) }
}

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

/** Marks and, as far as they keep clear of each other, words beside them; points that come first are served first. */
export function placePoints(points: Point[], x: Scale, y: Scale, left: number, right: number): PlacedPoint[] {
  const marks = points.map((p) => ({ ...p, x: x.at(p.cost), y: y.at(p.value), size: 6.5 + 9 * Math.sqrt(p.trouble) }))
  const taken = marks.map((m) => ({ x0: m.x - m.size, x1: m.x + m.size, y0: m.y - m.size, y1: m.y + m.size }))
  return marks.map((mark) => {
    if (!mark.words) return { ...mark, label: null }
    const width = mark.words.length * CHARACTER
    for (const dy of [0, -13, 13, -26, 26]) {
      for (const anchor of ['start', 'end'] as const) {
        const at = anchor === 'start' ? mark.x + mark.size + 9 : mark.x - mark.size - 9
        const box = { x0: anchor === 'start' ? at : at - width, x1: anchor === 'start' ? at + width : at, y0: mark.y + dy - 7, y1: mark.y + dy + 7 }
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
