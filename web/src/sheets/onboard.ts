/** Answers that are given by touching the board: which slots share a channel, the order in sets, what is said of each slot. */
import type { Board } from '@/api/client'

export type Sets = string[][]
export interface Order {
  fill?: Sets
  counts?: Record<string, Sets>
  [member: string]: unknown
}

/** A slot touched while sets are told: it joins the set at hand, begins a new one, or leaves the set that it is in. */
export function touchSet(sets: Sets, slot: string, begins: boolean): Sets {
  const at = sets.findIndex((s) => s.includes(slot))
  if (at >= 0) return sets.map((s, i) => (i === at ? s.filter((x) => x !== slot) : s)).filter((s) => s.length)
  return begins || !sets.length ? [...sets, [slot]] : sets.map((s, i) => (i === sets.length - 1 ? [...s, slot] : s))
}

/** Slots in sets by something that each has: tab colours, or the last figure of the name. */
export function setsBy(slots: string[], of: (slot: string) => string): Sets {
  const groups = new Map<string, string[]>()
  for (const slot of slots) groups.set(of(slot), [...(groups.get(of(slot)) ?? []), slot])
  return [...groups.values()]
}

/** The entry of an order that holds its sets, and where it is; a new one where there is none. */
export function orderAt(value: unknown): { entries: Order[]; index: number } {
  const entries = Array.isArray(value) ? (value as Order[]) : []
  const index = entries.findIndex((e) => e.fill || e.counts)
  return { entries, index: index < 0 ? entries.length : index }
}

type Channel = { slots: string[]; [member: string]: unknown }
/** Channels of an answer, each as a block. */
export function channelsOf(value: unknown): Record<string, Channel> {
  const told = value && typeof value === 'object' ? (value as Record<string, unknown>) : {}
  return Object.fromEntries(
    Object.entries(told).map(([name, c]) => [
      name,
      Array.isArray(c)
        ? { slots: c as string[] }
        : { ...(c as Channel), slots: ((c as Channel).slots ?? []) as string[] },
    ]),
  )
}

/** A slot put on a channel, and taken off the one where it was; touched there again it stays. */
export function putOn(channels: Record<string, Channel>, slot: string, name: string): Record<string, Channel> {
  return Object.fromEntries(
    Object.entries(channels).map(([n, c]) => [
      n,
      {
        ...c,
        slots: n === name ? (c.slots.includes(slot) ? c.slots : [...c.slots, slot]) : c.slots.filter((s) => s !== slot),
      },
    ]),
  )
}

/** The board with its slots' numerals, tabs and more as they are answered so far. */
export function boardAs(
  board: Board,
  local: Record<string, string>,
  of: (name: string) => Partial<Board['slots'][0]>,
): Board {
  return { ...board, slots: board.slots.map((s) => (s.id in local ? { ...s, ...of(local[s.id]!) } : s)) }
}
