/**
 * Where everything on a board lies: pure numbers from the sheet's shape, no state, no drawing.
 *
 * One socket is a row: half of its channels left of the processor, half right, mirrored, the outermost
 * channel's trace on top. A socket whose slots stand on boards or risers has them beside it as framed leaves. Sockets
 * stand in rows and columns, whichever shows them largest. A sheet that gives places for all its sockets and slots is
 * drawn by them instead.
 */
import type { Board, BoardChannel } from '@/api/client'

/** Sizes in board units; a unit is a pixel at scale 1. */
export const sizes = {
  slotWidth: 28,
  slotHeight: 132,
  slotGap: 10,
  cap: 9,
  channelGap: 38,
  socket: 124,
  socketGap: 56,
  traceZone: 34,
  traceStep: 8,
  /** Below the slots: locator, fill bar, figure. */
  footZone: 62,
  rowGap: 26,
  columnGap: 48,
  margin: 14,
  /** The picture is never drawn larger than this wide a board would be. */
  leastWidth: 440,
  leastHeight: 250,
  /** In a room narrower than that, on screen, a small board is drawn as large as fits. */
  narrowRoom: 500,
  /** A fill bar has room for its channel's name and figure. */
  leastBar: 46,
  /** Around the slots of a board or riser: its frame, and above them its title and one line a channel. */
  leafPad: 10,
  leafTitle: 22,
} as const

/** What lies between things: of a phone's few pixels the slots take more than what parts them. */
export type Gaps = Pick<
  { [k in keyof typeof sizes]: number },
  'slotGap' | 'channelGap' | 'socketGap' | 'socket' | 'leastBar'
>
const NARROW: Gaps = { slotGap: 5, channelGap: 14, socketGap: 16, socket: 72, leastBar: sizes.slotWidth + 8 }
const gapsIn = (room: Room): Gaps => (room.width < sizes.narrowRoom ? NARROW : sizes)

export interface Rect {
  x: number
  y: number
  width: number
  height: number
}

export interface PlacedSlot extends Rect {
  id: string
  channel: string
  /** True where it stands among slots of other channels, so that its own needs naming. */
  mixed?: boolean
}

/** How far it is from each slot to its nearest neighbour in the row: the room for its locator. */
export function locatorRoom(slots: PlacedSlot[]): Map<string, number> {
  return new Map(
    slots.map((slot) => {
      const steps = slots
        .filter((other) => other !== slot && Math.abs(other.y - slot.y) < 1)
        .map((other) => Math.abs(other.x - slot.x))
      return [slot.id, Math.min(...steps, 4 * sizes.slotWidth)]
    }),
  )
}

export interface PlacedChannel {
  id: string
  name: string
  /** From the socket's edge to the channel's slots: lines of [x, y] corners. */
  traces: [number, number][][]
  /** The fill bar below the slots. */
  bar: Rect
  /** Where soldered memory is drawn; null where there is none. */
  soldered: Rect | null
}

export interface PlacedSocket extends Rect {
  id: string
}

/** A board, riser or tray: a framed leaf around its slots, its title on the frame. */
export interface PlacedCarrier extends Rect {
  id: string
}

export interface BoardGeometry {
  width: number
  height: number
  carriers: PlacedCarrier[]
  sockets: PlacedSocket[]
  channels: PlacedChannel[]
  slots: PlacedSlot[]
}

/** Of the foot's extra room, what the locator above the bar takes; the figure below it takes the rest. */
const LOCATOR_SHARE = 0.4

/** Room on the screen that a board is laid out for. [px] */
export interface Room {
  width: number
  height: number
}

/** What a wide window leaves for the board. */
const USUAL_ROOM: Room = { width: 840, height: 480 }

/** Screen pixels a board unit, when a picture of this size is fitted into the room. */
export function scaleIn(size: Room, room: Room): number {
  return Math.min(room.width / size.width, room.height / size.height)
}

/**
 * The board. Its sockets stand in as many columns as show it largest in the usual room, whatever room there is now:
 * where things are is what one remembers, so only its size differs from station to station.
 */
export function layOut(board: Board, room: Room = USUAL_ROOM): BoardGeometry {
  if (isPlaced(board)) return withFoot((foot) => byPlaces(board, foot, room), room)
  const columns = columnsOf(board)
  return withFoot((foot) => arrange(board, columns, foot, room), room)
}

function columnsOf(board: Board): number {
  let best = 1
  let largest = 0
  for (let columns = 1; columns <= Math.max(1, board.sockets.length); columns *= 2) {
    const scale = scaleIn(
      withFoot((foot) => arrange(board, columns, foot, USUAL_ROOM), USUAL_ROOM),
      USUAL_ROOM,
    )
    if (scale > largest * 1.001) [best, largest] = [columns, scale]
  }
  return best
}

/** Text keeps its size on screen: where the board is drawn small, the foot below the slots needs more of its units. */
function withFoot(make: (foot: number) => BoardGeometry, room: Room): BoardGeometry {
  let made = make(sizes.footZone)
  for (let i = 0; i < 3; i++) made = make(sizes.footZone * Math.max(1, TEXT_FULL_AT / scaleIn(made, room)))
  return made
}

function isPlaced(board: Board): boolean {
  return [...board.sockets, ...board.slots].every((part) => part.x !== null && part.y !== null)
}

function leastWidth(room: Room): number {
  return room.width < sizes.narrowRoom ? 0 : sizes.leastWidth
}

/** By the sheet's own places: a step in x is a slot's width, a step in y a row of slots. */
function byPlaces(board: Board, foot: number, room: Room): BoardGeometry {
  const step = { x: sizes.slotWidth + sizes.slotGap, y: sizes.traceZone + sizes.slotHeight + foot }
  const places = [...board.sockets, ...board.slots]
  const least = { x: Math.min(...places.map((p) => p.x!)), y: Math.min(...places.map((p) => p.y!)) }
  const at = (p: { x: number | null; y: number | null }) => ({
    x: sizes.margin + (p.x! - least.x) * step.x,
    y: sizes.margin + sizes.leafTitle + sizes.traceZone + (p.y! - least.y) * step.y,
  })
  const sockets = board.sockets.map((s) => ({ id: s.id, ...at(s), width: sizes.socket, height: sizes.slotHeight }))
  const slots = board.slots.map((s) => ({
    id: s.id,
    channel: s.channel,
    ...at(s),
    width: sizes.slotWidth,
    height: sizes.slotHeight,
  }))
  const channels = board.channels.map((channel, i): PlacedChannel => {
    const own = slots.filter((s) => s.channel === channel.id)
    const socket = sockets.find((s) => s.id === channel.socket)!
    const first = own[0] ?? socket
    const row = own.filter((s) => s.y === first.y)
    const x = Math.min(first.x, ...row.map((s) => s.x))
    const width = Math.max(sizes.slotWidth, ...row.map((s) => s.x + s.width)) - (row.length ? x : 0)
    const soldered = channel.soldered
      ? { x: socket.x + sizes.socket + 8, y: socket.y + 44 * i, width: sizes.slotWidth, height: 44 }
      : null
    return placedChannel(
      channel,
      {
        x,
        width: Math.max(width, sizes.slotWidth),
        top: first.y,
        depth: first.y - sizes.traceZone + sizes.traceStep * (i % 4),
      },
      socket.x + socket.width / 2 + 10 * (i - board.channels.length / 2),
      socket.y,
      foot,
      soldered,
    )
  })
  const right = Math.max(...[...slots, ...sockets].map((r) => r.x + r.width)) + sizes.margin
  const bottom = Math.max(...[...slots, ...sockets].map((r) => r.y + r.height)) + foot + sizes.margin
  const full = { width: right, height: bottom, carriers: frames(board, slots, foot), sockets, slots, channels }
  return centred(full, Math.max(right, leastWidth(room)), Math.max(bottom, sizes.leastHeight))
}

/** A channel's trace and bar, for slots that span `x` to `x + width` below `top`. */
function placedChannel(
  channel: BoardChannel,
  span: { x: number; width: number; top: number; depth: number },
  exit: number,
  exitTop: number,
  foot: number,
  soldered: Rect | null,
  gaps: Gaps = sizes,
): PlacedChannel {
  const middle = span.x + span.width / 2
  const width = Math.max(span.width, gaps.leastBar)
  return {
    id: channel.id,
    name: channel.name,
    traces: [
      [
        [exit, exitTop],
        [exit, span.depth],
        [middle, span.depth],
        [middle, soldered && !channel.slots.length ? soldered.y - 4 : span.top - sizes.cap - 4],
      ],
    ],
    bar: {
      x: middle - width / 2,
      y: span.top + sizes.slotHeight + sizes.cap + (foot - sizes.footZone) * LOCATOR_SHARE + 22,
      width,
      height: 6,
    },
    soldered,
  }
}

/** The scale down to which text has room as laid out. */
const TEXT_FULL_AT = 0.8

function arrange(board: Board, columns: number, foot: number, room: Room): BoardGeometry {
  const rows = board.sockets.map((socket) =>
    (onCarriers(board, socket.id) ? layOutLeaves : layOutSocket)(board, socket.id, foot, gapsIn(room)),
  )
  const columnWidth = Math.max(0, ...rows.map((r) => r.width))
  const rowHeight = Math.max(0, ...rows.map((r) => r.height))
  const full: BoardGeometry = { width: 0, height: 0, carriers: [], sockets: [], channels: [], slots: [] }
  rows.forEach((row, i) => {
    const column = i % columns
    const x = sizes.margin + column * (columnWidth + sizes.columnGap) + (columnWidth - row.width) / 2
    const y = sizes.margin + Math.floor(i / columns) * (rowHeight + sizes.rowGap)
    full.carriers.push(...row.carriers.map((c) => moved(c, x, y)))
    full.sockets.push(...row.sockets.map((s) => moved(s, x, y)))
    full.slots.push(...row.slots.map((s) => moved(s, x, y)))
    full.channels.push(...row.channels.map((c) => movedChannel(c, x, y)))
  })
  const count = Math.ceil(rows.length / columns)
  full.width = 2 * sizes.margin + columns * columnWidth + (columns - 1) * sizes.columnGap
  full.height = 2 * sizes.margin + count * rowHeight + (count - 1) * sizes.rowGap
  return centred(full, Math.max(full.width, leastWidth(room)), Math.max(full.height, sizes.leastHeight))
}

/** One socket with its channels, from (0, 0). */
function layOutSocket(board: Board, socket: string, foot: number, gaps: Gaps): BoardGeometry {
  const channels = board.channels.filter((c) => c.socket === socket)
  const leftCount = channels.length === 1 ? 0 : Math.ceil(channels.length / 2)
  const left = channels.slice(0, leftCount).reverse()
  const right = channels.slice(leftCount)
  const top = sizes.traceZone
  const widthOf = (list: BoardChannel[]) => list.reduce((sum, c) => sum + channelWidth(c, gaps) + gaps.channelGap, 0)
  const socketX = left.length ? widthOf(left) - gaps.channelGap + gaps.socketGap : 0
  const box: PlacedSocket = { id: socket, x: socketX, y: top, width: gaps.socket, height: sizes.slotHeight }
  const placed: BoardGeometry = { width: 0, height: 0, carriers: [], sockets: [box], channels: [], slots: [] }

  const place = (channel: BoardChannel, x: number, side: 'left' | 'right', order: number) => {
    const width = channelWidth(channel, gaps)
    // The outermost channel (order 0) runs on top and leaves the socket nearest to its middle: no two traces cross.
    const depth = sizes.traceStep * order
    const out = ((20 + 10 * order) * gaps.socket) / sizes.socket
    const exit = box.x + box.width / 2 + (side === 'left' ? -out : out)
    const soldered = channel.soldered
      ? { x, y: top + sizes.slotHeight / 2 - 22, width: sizes.slotWidth, height: 44 }
      : null
    const slotsFrom = channel.soldered ? x + sizes.slotWidth + gaps.slotGap : x
    // Mirrored on the left: the near slot is the one beside the socket on both sides.
    const outward = [...channel.slots].sort((a, b) => nearness(board, a) - nearness(board, b))
    const ids = side === 'left' ? outward.reverse() : outward
    ids.forEach((id, i) =>
      placed.slots.push({
        id,
        channel: channel.id,
        x: slotsFrom + i * (sizes.slotWidth + gaps.slotGap),
        y: top,
        width: sizes.slotWidth,
        height: sizes.slotHeight,
      }),
    )
    placed.channels.push(placedChannel(channel, { x, width, top, depth }, exit, top, foot, soldered, gaps))
  }

  let x = 0
  left.forEach((channel, i) => {
    place(channel, x, 'left', i)
    x += channelWidth(channel, gaps) + gaps.channelGap
  })
  x = box.x + box.width + gaps.socketGap
  right.forEach((channel, i) => {
    place(channel, x, 'right', right.length - 1 - i)
    x += channelWidth(channel, gaps) + gaps.channelGap
  })
  placed.width = right.length ? x - gaps.channelGap : box.x + box.width
  placed.height = top + sizes.slotHeight + foot
  return placed
}

/** The frames of carriers around slots that are placed already. */
function frames(board: Board, slots: PlacedSlot[], foot: number): PlacedCarrier[] {
  return board.carriers.flatMap((carrier) => {
    const own = slots.filter((s) => carrier.slots.includes(s.id))
    if (!own.length) return []
    const x = Math.min(...own.map((s) => s.x)) - sizes.leafPad
    const y = Math.min(...own.map((s) => s.y)) - sizes.traceZone - sizes.leafTitle
    const right = Math.max(...own.map((s) => s.x + s.width)) + sizes.leafPad
    const bottom = Math.max(...own.map((s) => s.y + s.height)) + foot
    return [{ id: carrier.id, x, y, width: right - x, height: bottom - y }]
  })
}

/** Whether every slot of the socket stands on a carrier, and there are leaves to draw. */
function onCarriers(board: Board, socket: string): boolean {
  const own = slotsOf(board, socket)
  return own.length > 0 && own.every((s) => s.carrier !== null)
}

function slotsOf(board: Board, socket: string) {
  const channels = new Set(board.channels.filter((c) => c.socket === socket).map((c) => c.id))
  return board.slots.filter((s) => channels.has(s.channel))
}

/**
 * A socket whose slots stand on boards or risers: the socket, below it its channels' bars on one scale, and beside
 * it the leaves, each with its slots from left to right as they stand on it. Every channel runs along the leaf's top as a
 * line of its own, from which its slots hang.
 */
function layOutLeaves(board: Board, socket: string, foot: number, gaps: Gaps): BoardGeometry {
  const channels = board.channels.filter((c) => c.socket === socket)
  const own = new Set(slotsOf(board, socket).map((s) => s.id))
  // Of a board that several sockets share, each shows the part that hangs on it.
  const leaves = board.carriers
    .map((l) => ({ ...l, slots: l.slots.filter((s) => own.has(s)) }))
    .filter((l) => l.slots.length)
  const lines = sizes.traceStep * (channels.length + 1)
  const top = sizes.leafTitle + lines + sizes.cap
  const step = sizes.slotWidth + gaps.slotGap
  const box: PlacedSocket = { id: socket, x: 0, y: sizes.leafTitle, width: gaps.socket, height: gaps.socket * 0.62 }
  const placed: BoardGeometry = {
    width: 0,
    height: top + sizes.slotHeight + foot,
    carriers: [],
    sockets: [box],
    channels: [],
    slots: [],
  }
  let x = gaps.socket + gaps.socketGap
  for (const leaf of leaves) {
    const width = leaf.slots.length * step - gaps.slotGap + 2 * sizes.leafPad
    placed.carriers.push({ id: leaf.id, x, y: 0, width, height: placed.height - 6 })
    leaf.slots.forEach((id, i) => {
      const channel = board.slots.find((s) => s.id === id)!.channel
      placed.slots.push({
        id,
        channel,
        mixed: true,
        x: x + sizes.leafPad + i * step,
        y: top,
        width: sizes.slotWidth,
        height: sizes.slotHeight,
      })
    })
    x += width + gaps.slotGap * 2
  }
  placed.width = x - gaps.slotGap * 2
  const barsTop = box.y + box.height + 14
  // Many channels stand in two columns: below each bar its name and figure have to be read.
  const columns = channels.length > 4 ? 2 : 1
  const barWidth = (box.width - 10 * (columns - 1)) / columns
  const barStep = Math.max(20, (placed.height - barsTop - 6) / Math.max(1, Math.ceil(channels.length / columns)))
  channels.forEach((channel, i) => {
    const y = sizes.leafTitle + sizes.traceStep * (i + 1)
    const own = placed.slots.filter((s) => s.channel === channel.id)
    const last = Math.max(box.x + box.width, ...own.map((s) => s.x + s.width / 2))
    placed.channels.push({
      id: channel.id,
      name: channel.name,
      traces: [
        [
          [box.x + box.width, y],
          [last, y],
        ],
        ...own.map((s): [number, number][] => [
          [s.x + s.width / 2, y],
          [s.x + s.width / 2, top - sizes.cap - 3],
        ]),
      ],
      bar: {
        x: box.x + (i % columns) * (barWidth + 10),
        y: barsTop + Math.floor(i / columns) * barStep,
        width: barWidth,
        height: 6,
      },
      soldered: null,
    })
  })
  return placed
}

const NEARNESS: Record<string, number> = { near: 0, middle: 1, far: 2 }

/** 0 beside the socket; slots whose position nobody states keep the sheet's order. */
function nearness(board: Board, slot: string): number {
  return NEARNESS[board.slots.find((s) => s.id === slot)?.position ?? 'near'] ?? 0
}

export function channelWidth(channel: { slots: string[]; soldered?: unknown }, gaps: Gaps = sizes): number {
  const count = Math.max(channel.slots.length + (channel.soldered ? 1 : 0), 1)
  return count * sizes.slotWidth + (count - 1) * gaps.slotGap
}

function moved<T extends Rect>(rect: T, dx: number, dy: number): T {
  return { ...rect, x: rect.x + dx, y: rect.y + dy }
}

function movedChannel(c: PlacedChannel, dx: number, dy: number): PlacedChannel {
  return {
    ...c,
    traces: c.traces.map((line) => line.map(([x, y]): [number, number] => [x + dx, y + dy])),
    bar: moved(c.bar, dx, dy),
    soldered: c.soldered && moved(c.soldered, dx, dy),
  }
}

function centred(g: BoardGeometry, width: number, height: number): BoardGeometry {
  const dx = (width - g.width) / 2
  const dy = (height - g.height) / 2
  return {
    width,
    height,
    sockets: g.sockets.map((s) => moved(s, dx, dy)),
    carriers: g.carriers.map((c) => moved(c, dx, dy)),
    slots: g.slots.map((s) => moved(s, dx, dy)),
    channels: g.channels.map((c) => movedChannel(c, dx, dy)),
  }
}

/** The board of one processor: what hangs on the others is left out, and the rest laid out by itself. */
export function onlySocket(board: Board, socket: string): Board {
  const channels = board.channels.filter((c) => c.socket === socket)
  const ids = new Set(channels.map((c) => c.id))
  const slots = board.slots.filter((s) => ids.has(s.channel))
  return {
    ...board,
    sockets: board.sockets.filter((s) => s.id === socket),
    channels,
    slots,
    carriers: board.carriers
      .filter((c) => slots.some((s) => s.carrier === c.id))
      .map((c) => ({ ...c, slots: c.slots.filter((id) => slots.some((s) => s.id === id)) })),
  }
}

/** Controllers as brackets below the bars of their channels: one a run of channels that stand side by side. */
export function controllerSpans(
  board: Board,
  channels: PlacedChannel[],
): { key: string; name: string; x: number; y: number; width: number }[] {
  const controllerOf = new Map(board.channels.map((c) => [c.id, c.controller]))
  const inOrder = [...channels].sort((a, b) => a.bar.y - b.bar.y || a.bar.x - b.bar.x)
  const spans: { key: string; name: string; x: number; y: number; width: number; of: string | null; bar: number }[] = []
  for (const channel of inOrder) {
    const of = controllerOf.get(channel.id) ?? null
    const last = spans.at(-1)
    if (last && of !== null && last.of === of && last.bar === channel.bar.y)
      last.width = channel.bar.x + channel.bar.width - last.x
    else
      spans.push({
        key: channel.id,
        name: of?.split('.').at(-1) ?? '',
        x: channel.bar.x,
        y: channel.bar.y + 8,
        width: channel.bar.width,
        of,
        bar: channel.bar.y,
      })
  }
  return spans.filter((s) => s.of !== null).map(({ key, name, x, y, width }) => ({ key, name, x, y, width }))
}

export type Direction = 'left' | 'right' | 'up' | 'down'

/** The slot that an arrow key leads to: the nearest in that direction, or the same slot at the edge. */
export function neighbour(slots: PlacedSlot[], from: string, direction: Direction): string {
  const here = slots.find((s) => s.id === from)
  if (!here) return slots[0]?.id ?? from
  let best: PlacedSlot | undefined
  let least = Infinity
  for (const slot of slots) {
    const dx = slot.x - here.x
    const dy = slot.y - here.y
    const along = { left: -dx, right: dx, up: -dy, down: dy }[direction]
    const across = direction === 'left' || direction === 'right' ? Math.abs(dy) : Math.abs(dx)
    // A slot of the same row beats a nearer one of another.
    const distance = along + 4 * across
    if (along > 1 && across <= along * 2 && distance < least) {
      least = distance
      best = slot
    }
  }
  return best?.id ?? from
}
