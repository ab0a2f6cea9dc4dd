/** Boards made for tests: so many sockets, each of so many channels of so many slots. */
import type { Board } from '@/api/client'

export function madeBoard(sockets: number, channels: number, slots: number, soldered = false): Board {
  const made: Board = {
    sheet: 'x',
    title: 'X',
    sockets: [],
    channels: [],
    channels_told: true,
    slots: [],
    carriers: [],
    ways: [],
  }
  for (let s = 1; s <= sockets; s++) {
    made.sockets.push({ id: `P${s}`, processor: null, soldered: false, prefix: '', x: null, y: null })
    for (let c = 0; c < channels; c++) {
      const id = `P${s}.${'ABCDEFGH'[c]}`
      const ids = Array.from({ length: slots }, (_, i) => `${id}${i + 1}`)
      const chips = soldered && c === 0 ? ({ capacity_gib: 8 } as Board['channels'][0]['soldered']) : null
      made.channels.push({ id, name: id.slice(3), socket: `P${s}`, controller: null, slots: ids, soldered: chips })
      for (const slot of ids)
        made.slots.push({
          id: slot,
          channel: id,
          printed: slot,
          short: slot,
          position: null,
          tab: null,
          tab_letter: null,
          locked: false,
          carrier: null,
          facing: null,
          landmark: null,
          behind: [],
          order: null,
          x: null,
          y: null,
        })
    }
  }
  return made
}
