/** What lies in the tray: modules that come out, and every kind of module that this machine or plan knows. */
import type { Board, Layout, Module } from '@/api/client'
import { gb, moduleLine, same } from '@/board/state'

export interface TrayItem {
  key: string
  module: Module
  count: number
}

function keyOf(m: Module): string {
  return [m.capacity_gib, m.generation, m.form, moduleLine(m), m.ecc, m.part, m.rails_v.join()].join('|')
}

function counted(modules: Module[]): TrayItem[] {
  const items = new Map<string, TrayItem>()
  for (const module of modules) {
    const key = keyOf(module)
    const item = items.get(key)
    if (item) item.count += 1
    else items.set(key, { key, module, count: 1 })
  }
  return [...items.values()]
}

const modulesOf = (layout: Layout, slots: string[]) =>
  slots.map((s) => layout[s]).filter((m): m is Module => m !== undefined && m !== 'unknown')

/** How many of each kind leave the machine: fitted now and nowhere in the goal. */
export function comesOut(now: Layout, goal: Layout): TrayItem[] {
  const left = counted(modulesOf(now, Object.keys(now)))
  const kept = new Map(counted(modulesOf(goal, Object.keys(goal))).map((i) => [i.key, i.count]))
  return left.map((i) => ({ ...i, count: i.count - (kept.get(i.key) ?? 0) })).filter((i) => i.count > 0)
}

/** Kinds of module to take another one of: those of the goal and of the machine as it is, and what was typed. */
export function knownKinds(now: Layout, goal: Layout, typed: Module[]): TrayItem[] {
  return counted([...modulesOf(goal, Object.keys(goal)), ...modulesOf(now, Object.keys(now)), ...typed])
}

/** What differs between now and goal, in the board's order: "in 16 GB 1Rx8 R 4800 at CPU2 A2, CPU2 B2". */
export function changesBetween(board: Board, now: Layout, goal: Layout): { label: string; words: string }[] {
  const groups = new Map<string, { label: string; what: string; slots: string[] }>()
  const add = (label: string, what: string, slot: string) => {
    const group = groups.get(label + what) ?? { label, what, slots: [] }
    group.slots.push(slot)
    groups.set(label + what, group)
  }
  for (const { id, printed } of board.slots) {
    const before = now[id]
    const after = goal[id]
    if (same(before, after)) continue
    if (before !== undefined) add('out', before === 'unknown' ? 'what is there' : words(before), printed)
    if (after !== undefined) add('in', after === 'unknown' ? 'what was there' : words(after), printed)
  }
  return [...groups.values()].map((g) => ({
    label: g.label,
    words: `${g.slots.length > 1 ? `${g.slots.length} x ` : ''}${g.what} at ${listed(g.slots)}`,
  }))
}

const words = (m: Module) => `${gb(m.capacity_gib)} GB ${moduleLine(m)}`
const listed = (slots: string[]) => (slots.length > 3 ? `${slots[0]} to ${slots.at(-1)}` : slots.join(', '))
