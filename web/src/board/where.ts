/** Where a slot is, in words that one can follow with the eyes: only what the sheet tells, for a drawing's arrangement is no place. */
import type { Board } from '@/api/client'
import { layOut } from './geometry'

const ORDINALS = ['first', 'second', 'third', 'fourth', 'fifth', 'sixth', 'seventh', 'eighth']
/** Positions as the sheet tells them, from the processor. */
const POSITIONS: Record<string, string> = {
  near: 'the one nearest to the processor',
  middle: 'the middle one',
  far: 'the one farthest from the processor',
}

export interface Where {
  /** As printed on the board. */
  name: string
  /** "second from the right edge, grey latches"; '' where nothing is told. */
  place: string
  /** "CPU2, between E1 and F1", or the channel where no places are told; no more than that where channels are a guess. */
  among: string
}

export function whereIs(board: Board, id: string): Where | null {
  const slot = board.slots.find((s) => s.id === id)
  const channel = board.channels.find((c) => c.id === slot?.channel)
  if (!slot || !channel) return null
  const carrier = board.carriers.find((c) => c.id === slot.carrier)
  const latches = slot.tab ? `${slot.tab} latches` : ''
  const told = board.channels_told
  const socket = told && board.sockets.length > 1 ? channel.socket : ''
  const listed = (...words: string[]) => words.filter(Boolean).join(', ')
  const row = rowOf(board, id)
  if (row) {
    const at = row.indexOf(id)
    const fromRight = row.length - 1 - at < at
    const count = fromRight ? row.length - 1 - at : at
    const edge =
      count < ORDINALS.length && row.length > 1
        ? `${ORDINALS[count]} slot from the ${fromRight ? 'right' : 'left'}`
        : ''
    const short = (other: string | undefined) => board.slots.find((s) => s.id === other)?.short
    const beside = [short(row[at - 1]), short(row[at + 1])].filter((s) => s !== undefined)
    return {
      name: slot.printed,
      place: listed(carrier ? `on ${carrier.title}` : '', edge, latches, slot.landmark ?? ''),
      among: listed(
        socket,
        beside.length === 2
          ? `between ${beside.join(' and ')}`
          : beside.length
            ? `beside ${beside[0]}`
            : told
              ? `channel ${channel.name}`
              : '',
      ),
    }
  }
  const several = channel.slots.length > 1
  return {
    name: slot.printed,
    place: listed(
      carrier ? `on ${carrier.title}` : '',
      (several && POSITIONS[slot.position ?? '']) || '',
      latches,
      slot.landmark ?? '',
    ),
    among: told ? listed(socket, `channel ${channel.name}`, several ? `one of ${channel.slots.length}` : '') : '',
  }
}

/** The slots beside each other as they stand on their board, left to right; null where the sheet tells no places. */
function rowOf(board: Board, id: string): string[] | null {
  const slot = board.slots.find((s) => s.id === id)!
  const carrier = board.carriers.find((c) => c.slots.includes(id))
  if (carrier) return carrier.numbering ? [...carrier.slots] : null
  if (slot.x === null || slot.y === null) return null
  const placed = layOut(board).slots
  const mine = placed.find((s) => s.id === id)!
  return placed
    .filter((s) => Math.abs(s.y - mine.y) < 1)
    .sort((a, b) => a.x - b.x)
    .map((s) => s.id)
}
