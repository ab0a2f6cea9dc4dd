/** What a board shows in each slot: now and goal side by side, as one word each part can draw by. */
import { gb } from '@/ui/figures'
import type { Board, Layout, Module, Occupant } from '@/api/client'

export type SlotLook =
  | 'empty'
  | 'unknown'
  /** Fitted, and stays. */
  | 'flat'
  /** To be put in: floats and casts a shadow. */
  | 'planned'
  /** To be taken out: an empty outline in its old place. */
  | 'out'

export interface SlotState {
  look: SlotLook
  /** What is drawn: the goal's module, or the one that leaves. */
  module: Module | null
  /** What leaves when something else comes; null when nothing does. */
  replaces: Occupant | null
}

export function same(a: Occupant | undefined, b: Occupant | undefined): boolean {
  return a === b || JSON.stringify(a) === JSON.stringify(b)
}

export function slotStates(board: Board, now: Layout, goal: Layout): Map<string, SlotState> {
  return new Map(board.slots.map(({ id }) => [id, slotState(now[id], goal[id])]))
}

function slotState(now: Occupant | undefined, goal: Occupant | undefined): SlotState {
  if (goal === 'unknown') return { look: 'unknown', module: null, replaces: null }
  if (goal === undefined) {
    if (now === undefined) return { look: 'empty', module: null, replaces: null }
    return { look: 'out', module: now === 'unknown' ? null : now, replaces: null }
  }
  if (same(now, goal)) return { look: 'flat', module: goal, replaces: null }
  return { look: 'planned', module: goal, replaces: now ?? null }
}

/** Channels in which something is not counted: a slot that nobody looked into, a module of unknown size. */
export function partlyKnown(board: Board, layout: Layout): Set<string> {
  const open = (held: Occupant | null | undefined) =>
    held === 'unknown' || Boolean(held && held.capacity_gib === null && !held.keeps)
  return new Set(
    board.channels.filter((c) => c.slots.some((s) => open(layout[s])) || open(c.soldered)).map((c) => c.id),
  )
}

/** GiB per channel, soldered memory included; what is unknown counts nothing. */
export function channelTotals(board: Board, layout: Layout): Map<string, number> {
  return new Map(
    board.channels.map((channel) => {
      const fitted = channel.slots.map((s) => sizeOf(layout[s]))
      return [channel.id, fitted.reduce((a, b) => a + b, channel.soldered?.capacity_gib ?? 0)]
    }),
  )
}

function sizeOf(occupant: Occupant | undefined): number {
  return occupant === undefined || occupant === 'unknown' ? 0 : (occupant.capacity_gib ?? 0)
}

const KIND_LETTERS: Record<string, string> = {
  unbuffered: 'U',
  registered: 'R',
  'load-reduced': 'L',
  'fully-buffered': 'F',
  other: '?',
}

/** Ranks x width, the kind's letter, the rate: "2Rx8 R 4800". */
export function moduleLine(module: Module): string {
  const ranks = module.package_ranks ? `${module.package_ranks}R` : ''
  const width = module.device_width ? `x${module.device_width}` : ''
  const kind = module.buffering ? KIND_LETTERS[module.buffering] : (module.keeps ?? '?')
  return [ranks + width, kind, module.rate_mts ?? ''].filter(Boolean).join(' ')
}

/** Width of a letter of the line [em], and its sizes: in board units, and on screen at least. */
export const LETTER_EM = 0.62
const LINE_SIZE = 11.5
const LEAST_PX = 11

/** As much of the line as fits into a length of the board: all of it, kind and rate, the rate, nothing. */
export function fittingLine(module: Module, length: number, scale: number): string {
  const letter = LETTER_EM * Math.max(LINE_SIZE, LEAST_PX / scale)
  const full = moduleLine(module)
  const words = full.split(' ')
  const choices = [full, words.slice(-2).join(' '), words.at(-1) ?? '']
  return choices.find((text) => text.length * letter <= length) ?? ''
}

/**
 * The locator as far as it fits into a length of the board: all of it, its last word, what its channel's name leaves; turned
 * where that is too long and there is room below; not at all otherwise, for then touching the slot tells it.
 */
export function fittingLocator(
  locator: string,
  length: number,
  scale: number,
  channel = '',
  below = 0,
): { text: string; turned: boolean } {
  const letter = LETTER_EM * Math.max(LINE_SIZE, LEAST_PX / scale)
  const last = locator.split(/\s+/).at(-1) ?? locator
  const rest = channel && last.startsWith(channel) && last.length > channel.length ? last.slice(channel.length) : last
  const choices = [locator, last, rest]
  const flat = choices.find((text) => letter * (text.length + 0.5) <= length)
  if (flat !== undefined) return { text: flat, turned: false }
  // Turned, a name is as wide as a line is high.
  const turned =
    1.3 * Math.max(LINE_SIZE, LEAST_PX / scale) <= length
      ? choices.find((text) => letter * text.length <= below)
      : undefined
  return { text: turned ?? '', turned: turned !== undefined }
}

/** A title in at most two lines of a width, broken between words; what is too long even so ends in an ellipsis. */
export function fittingTitle(title: string, width: number, scale: number): string[] {
  const most = Math.max(3, Math.floor(width / (0.56 * Math.max(12.5, LEAST_PX / scale))))
  const lines: string[] = ['']
  for (const word of title.split(/\s+/)) {
    const longer = [lines.at(-1), word].filter(Boolean).join(' ')
    if (longer.length <= most || !lines.at(-1)) lines[lines.length - 1] = longer
    else lines.push(word)
  }
  const shown = lines.slice(0, 2)
  if (lines.length > 2) shown[1] = `${shown[1]} ${lines[2]}`
  return shown.map((line) => (line.length <= most ? line : `${line.slice(0, most - 1)}…`))
}

/** Length of the board that a capacity takes when it stands along its module, with its distances. */
export function alongLength(capacity: string, scale: number): number {
  return 12 + capacity.length * LETTER_EM * Math.max(16, LEAST_PX / scale)
}

/** The module in words for a screen reader or a list. */
export function moduleWords(module: Module): string {
  return [
    module.capacity_gib ? `${gb(module.capacity_gib)} GB` : 'size unknown',
    module.keeps ? `${module.keeps}, keeps its content,` : null,
    module.generation,
    module.buffering,
    module.ecc && module.buffering === 'unbuffered' ? 'ECC' : null,
    module.rate_mts,
    voltsOf(module),
  ]
    .filter(Boolean)
    .join(' ')
}

/** The rails that a module may run at: "1.35/1.5 V"; what a low-voltage board turns on. */
export function voltsOf(module: Module): string {
  return module.rails_v.length ? `${module.rails_v.join('/')} V` : 'volts ?'
}

const LOOK_WORDS: Record<SlotLook, string> = {
  empty: 'empty',
  unknown: 'not known',
  flat: 'fitted',
  planned: 'planned',
  out: 'comes out',
}

/** "CPU 2 F2, planned, 16 GB DDR5 registered 4400, slow" */
export function slotName(printed: string, state: SlotState, severity?: string, ...more: string[]): string {
  const parts = [
    printed,
    LOOK_WORDS[state.look],
    state.module ? moduleWords(state.module) : '',
    severity ?? '',
    ...more,
  ]
  return parts.filter(Boolean).join(', ')
}

/** Slots whose modules face different ways: which edge the label is drawn on. Alike everywhere, it is not told. */
export function facingSides(board: Board): Map<string, 'left' | 'right'> {
  const ways = [...new Set(board.slots.map((s) => s.facing).filter(Boolean))]
  if (ways.length < 2) return new Map()
  return new Map(board.slots.filter((s) => s.facing).map((s) => [s.id, ways.indexOf(s.facing) % 2 ? 'right' : 'left']))
}
