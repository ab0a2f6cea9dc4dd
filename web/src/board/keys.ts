/** What a key does on the board. */
import { neighbour, type Direction } from './geometry'

const DIRECTIONS: Record<string, Direction> = {
  ArrowLeft: 'left',
  ArrowRight: 'right',
  ArrowUp: 'up',
  ArrowDown: 'down',
}
const NEAR = { '+': 'nearer', '=': 'nearer', '-': 'farther', '0': 'whole' } as const

export type BoardAct =
  | { do: 'go' | 'enter' | 'mark' | 'remove'; slot: string }
  | { do: 'escape' }
  | { do: 'near'; how: 'nearer' | 'farther' | 'whole' }

type Key = Pick<KeyboardEvent, 'key' | 'ctrlKey' | 'metaKey' | 'altKey'>

/** What is done when a key is pressed in a slot; null where the key is none of the board's. */
export function boardAct(event: Key, slot: string, slots: Parameters<typeof neighbour>[0]): BoardAct | null {
  if (event.ctrlKey || event.metaKey || event.altKey) return null
  const direction = DIRECTIONS[event.key]
  if (direction) return { do: 'go', slot: neighbour(slots, slot, direction) }
  if (event.key in NEAR) return { do: 'near', how: NEAR[event.key as keyof typeof NEAR] }
  switch (event.key) {
    case 'Enter':
      return { do: 'enter', slot }
    case ' ':
      return { do: 'mark', slot }
    case 'Delete':
    case 'Backspace':
      return { do: 'remove', slot }
    case 'Escape':
      return { do: 'escape' }
    default:
      return null
  }
}
