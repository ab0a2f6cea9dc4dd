/** What lies in the tray: modules that come out, and every kind of module that this machine or plan knows. */
import type { Action, Board, Layout, Module, Shelf } from '@/api/client'
import { moduleLine } from '@/board/state'
import { gb } from '@/ui/figures'

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

/** A module to take from the Shelf or to buy, with what the chip says of it. */
export interface Source extends TrayItem {
  note: string
  /** Whether any is left to take. */
  left: boolean
}

/** Usable modules on the Shelf: those no plan has reserved first. */
export function shelfSources(shelf: Shelf): Source[] {
  return shelf.stock
    .filter((s) => s.state === 'new' || s.state === 'pulled')
    .map((s) => ({
      key: s.id,
      module: s.module,
      count: s.free,
      note: s.free ? `${s.free} free` : `all ${s.count} reserved`,
      left: s.free > 0,
    }))
    .sort((a, b) => Number(b.left) - Number(a.left))
}

/** Offers, the cheapest gigabyte first. */
export function offerSources(shelf: Shelf): Source[] {
  return [...shelf.offers]
    .sort((a, b) => Number(a.per_gb) - Number(b.per_gb))
    .map((o) => ({
      key: o.id,
      module: o.module,
      count: o.kit,
      note: `${Number(o.price).toFixed(2)}${o.kit > 1 ? ` for ${o.kit}` : ''}`,
      left: true,
    }))
}

/** The plan's actions as lines, like ones together: "put in 5 x 16 GB 1Rx8 R 4800 at CPU2 A2 to CPU2 E2". */
export function actionLines(board: Board, actions: Action[]): { label: string; words: string }[] {
  const printed = new Map(board.slots.map((s) => [s.id, s.printed]))
  const name = (slot: string | null) => (slot === null ? '' : (printed.get(slot) ?? slot))
  const groups: { key: string; label: string; what: string; places: string[] }[] = []
  for (const action of actions) {
    if (action.do === 'keep') continue
    const what = action.module ? words(action.module) : 'what is there'
    const place =
      action.do === 'move'
        ? `${name(action.from)} to ${name(action.to)}`
        : name(action.do === 'put-in' ? action.to : action.from)
    const label = LABELS[action.do] + (action.from === 'mat' ? ' back' : action.to === 'mat' ? ' to the mat' : '')
    const key = label + what
    const last = groups.at(-1)
    if (last?.key === key && action.do !== 'move') last.places.push(place)
    else groups.push({ key, label, what, places: [place] })
  }
  return groups.map((g) => ({
    label: g.label,
    words: `${g.places.length > 1 ? `${g.places.length} x ` : ''}${g.what}${g.label === LABELS.move ? ', ' : g.label.startsWith('take') ? ' from ' : ' at '}${listed(g.places)}`,
  }))
}

const LABELS = { keep: '', move: 'move', 'take-out': 'take out', 'put-in': 'put in' }
const words = (m: Module) => `${gb(m.capacity_gib)} GB ${moduleLine(m)}`
const listed = (slots: string[]) => (slots.length > 3 ? `${slots[0]} to ${slots.at(-1)}` : slots.join(', '))
