/** What the Shelf calls the states of a module, each with a shape of its own. */
import type { StockLine } from '@/api/client'

export const STATES: Record<string, string> = {
  new: 'new',
  pulled: 'pulled',
  suspect: 'suspect',
  'to-return': 'to be returned',
}

/** A tick, a dot, a diamond, a square: told apart without colour. */
export const STATE_MARKS: Record<string, 'go' | 'note' | 'risk' | 'stop'> = {
  new: 'go',
  pulled: 'note',
  suspect: 'risk',
  'to-return': 'stop',
}

/** A price is told to be old after so many days. */
export const OLD_PRICE_DAYS = 30

/** "3 of 4 free", or what keeps them. */
export function freeWords(line: StockLine): string {
  if (line.state === 'suspect' || line.state === 'to-return') return 'not for use'
  return line.reserved.length ? `${line.free} of ${line.count} free` : 'free'
}
