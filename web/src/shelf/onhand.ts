/** What is on hand by kind: lines of one part, or of modules that are called the same, in one state. */
import type { StockLine } from '@/api/client'

export interface OnHand {
  key: string
  words: string
  /** "" where some have none, or another. */
  part: string
  state: StockLine['state']
  count: number
  /** Whether it may go into a machine. */
  usable: boolean
  /** "free", "3 used here", "3 for hall-03", "1 free, 4 for hall-03 and desk-04". */
  free: string
}

const USABLE: ReadonlySet<string> = new Set(['new', 'pulled'])

/**
 * Those that may be used first, the largest first; what goes back is told elsewhere.
 *
 * @param used part number -> how many of it what is shown beside takes
 */
export function kindsOnHand(stock: readonly StockLine[], used: ReadonlyMap<string, number> = new Map()): OnHand[] {
  const kinds = new Map<string, StockLine[]>()
  for (const s of stock) {
    if (s.state === 'to-return') continue
    const key = `${s.state}|${s.words}`
    kinds.set(key, [...(kinds.get(key) ?? []), s])
  }
  const size = (lines: readonly StockLine[]) => lines[0]!.module.capacity_gib ?? 0
  const ordered = [...kinds].sort(
    ([, a], [, b]) =>
      Number(USABLE.has(b[0]!.state)) - Number(USABLE.has(a[0]!.state)) ||
      size(b) - size(a) ||
      a[0]!.words.localeCompare(b[0]!.words),
  )
  return ordered.map(([key, lines]) => {
    const parts = new Set(lines.map((s) => s.part ?? ''))
    const first = lines[0]!
    const count = lines.reduce((n, s) => n + s.count, 0)
    return {
      key,
      words: first.words,
      part: parts.size === 1 ? [...parts][0]! : '',
      state: first.state,
      count,
      usable: USABLE.has(first.state),
      free: freeOf(lines, count, used),
    }
  })
}

function freeOf(lines: readonly StockLine[], count: number, used: ReadonlyMap<string, number>): string {
  const here = [...new Set(lines.map((s) => s.part ?? ''))].reduce((n, part) => n + (used.get(part) ?? 0), 0)
  if (here) return here < count ? `${here} used here` : 'all used here'
  const free = lines.reduce((n, s) => n + s.free, 0)
  const machines = [...new Set(lines.flatMap((s) => s.reserved.map((r) => r.machine)))]
  if (!machines.length || free === count) return 'free'
  const kept = `${count - free} for ${machines.slice(0, 2).join(' and ')}${machines.length > 2 ? ` and ${machines.length - 2} more` : ''}`
  return free ? `${free} free, ${kept}` : kept
}
