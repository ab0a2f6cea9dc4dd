/** The small board's letters from a layout now and as planned; the server makes the same for the list of machines. */
import type { Board, Layout, MachineLine, Occupant } from '@/api/client'
import { same } from './state'

function letter(now: Occupant | undefined, then: Occupant | undefined, failed: boolean): string {
  if (same(now, then)) return failed ? 'b' : now === undefined ? 'e' : now === 'unknown' ? 'u' : 'f'
  return then === undefined ? 'x' : now === undefined || now === 'unknown' ? 'p' : 'c'
}

export function glyphOf(board: Board, now: Layout, goal: Layout, failed: string[]): MachineLine['summary']['glyph'] {
  return board.sockets.map((socket) => {
    const channels = board.channels.filter((c) => c.socket === socket.id)
    const slots = channels.flatMap((c) => c.slots)
    return {
      socket: socket.id,
      slots: slots.map((s) => letter(now[s], goal[s], failed.includes(s))).join(''),
      soldered: channels.filter((c) => c.soldered).length,
    }
  })
}
