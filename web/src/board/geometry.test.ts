import { describe, expect, it } from 'vitest'
import { layOut, neighbour, onlySocket, scaleIn, sizes, type Rect } from './geometry'
import { madeBoard as board } from './made'

const overlap = (a: Rect, b: Rect) =>
  a.x < b.x + b.width && b.x < a.x + a.width && a.y < b.y + b.height && b.y < a.y + a.height

describe('layOut', () => {
  it.each([
    [1, 1, 1],
    [1, 2, 1],
    [1, 4, 2],
    [2, 6, 2],
    [2, 8, 2],
    [4, 8, 3],
  ])('%i sockets of %i channels of %i: everything inside, nothing over another', (s, c, n) => {
    const g = layOut(board(s, c, n))
    const boxes: Rect[] = [...g.slots, ...g.sockets, ...g.channels.map((x) => x.bar)]
    expect(g.slots).toHaveLength(s * c * n)
    for (const b of boxes) {
      expect(b.x).toBeGreaterThanOrEqual(0)
      expect(b.y).toBeGreaterThanOrEqual(0)
      expect(b.x + b.width).toBeLessThanOrEqual(g.width)
      expect(b.y + b.height).toBeLessThanOrEqual(g.height)
    }
    for (let i = 0; i < boxes.length; i++)
      for (let j = i + 1; j < boxes.length; j++) expect(overlap(boxes[i]!, boxes[j]!)).toBe(false)
  })

  it('mirrors the channels left and right of the socket', () => {
    const g = layOut(board(1, 2, 2))
    const x = (id: string) => g.slots.find((s) => s.id === id)!.x
    const socket = g.sockets[0]!
    expect(x('P1.A2')).toBeLessThan(x('P1.A1'))
    expect(x('P1.B1')).toBeLessThan(x('P1.B2'))
    expect(socket.x - (x('P1.A1') + sizes.slotWidth)).toBe(x('P1.B1') - (socket.x + socket.width))
  })

  it.each([
    [1, 2, 1],
    [2, 2, 2],
    [2, 6, 2],
    [4, 8, 3],
    [8, 4, 2],
  ])('%i sockets of %i channels of %i stand where they stood, in whatever room', (s, c, n) => {
    const order = (room?: { width: number; height: number }) => {
      const g = layOut(board(s, c, n), room)
      const rank = (at: (b: Rect) => number) =>
        g.slots.map((x) => [...new Set(g.slots.map(at))].sort((a, b) => a - b).indexOf(at(x)))
      return [rank((x) => Math.round(x.x)), rank((x) => Math.round(x.y))]
    }
    for (const room of [
      { width: 1200, height: 400 },
      { width: 500, height: 900 },
      { width: 340, height: 300 },
    ])
      expect(order(room)).toEqual(order())
  })

  it('gives text that keeps its size on screen more room the smaller the board is drawn', () => {
    const foot = (room: { width: number; height: number }) => {
      const g = layOut(board(4, 4, 4), room)
      return (g.channels[0]!.bar.y - (g.slots[0]!.y + g.slots[0]!.height)) * scaleIn(g, room)
    }
    for (const width of [1600, 840, 500]) expect(foot({ width, height: width / 2 })).toBeGreaterThan(14)
  })

  it("draws a board by its sheet's own places where it gives them all", () => {
    const placed = board(1, 2, 2)
    placed.sockets[0] = { ...placed.sockets[0]!, x: 3, y: 0 }
    const places: [number, number][] = [
      [0, 0],
      [1, 0],
      [0, 1],
      [1, 1],
    ]
    placed.slots.forEach((s, i) => Object.assign(s, { x: places[i]![0], y: places[i]![1] }))
    const g = layOut(placed)
    const [a1, a2, b1] = g.slots
    expect([a2!.x - a1!.x, b1!.x - a1!.x]).toEqual([sizes.slotWidth + sizes.slotGap, 0])
    expect(b1!.y).toBeGreaterThan(a1!.y + a1!.height)
    expect(g.channels[1]!.bar.y).toBeGreaterThan(b1!.y + b1!.height)
    const boxes: Rect[] = [...g.slots, ...g.sockets]
    for (let i = 0; i < boxes.length; i++)
      for (let j = i + 1; j < boxes.length; j++) expect(overlap(boxes[i]!, boxes[j]!)).toBe(false)
  })

  it('keeps room for soldered memory beside the slot', () => {
    const g = layOut(board(1, 2, 1, true))
    const chips = g.channels[0]!.soldered!
    expect(g.slots.some((s) => overlap(s, chips))).toBe(false)
  })
})

it.each([
  [2, 6, 2],
  [4, 8, 3],
  [1, 2, 1],
])('of %i sockets one alone has its slots in their order, each larger than on the whole', (s, c, n) => {
  const b = board(s, c, n)
  const phone = { width: 370, height: 300 }
  const whole = layOut(b, phone)
  for (const socket of b.sockets) {
    const g = layOut(onlySocket(b, socket.id), phone)
    const order = (slots: typeof g.slots) =>
      slots
        .filter((x) => x.id.startsWith(`${socket.id}.`))
        .sort((a, z) => a.y - z.y || a.x - z.x)
        .map((x) => x.id)
    expect(order(g.slots)).toEqual(order(whole.slots))
    expect(g.sockets.map((x) => x.id)).toEqual([socket.id])
    expect(scaleIn(g, phone)).toBeGreaterThanOrEqual(scaleIn(whole, phone))
  }
})

it('of a phone the slots take more than what parts them', () => {
  const b = board(2, 6, 2)
  const slot = (room: { width: number; height: number }) => sizes.slotWidth * scaleIn(layOut(b, room), room)
  expect(slot({ width: 370, height: 900 }) / 370).toBeGreaterThan((1.3 * slot({ width: 840, height: 2000 })) / 840)
  const rows = (room?: { width: number; height: number }) =>
    [...layOut(b, room).slots].sort((a, z) => a.y - z.y || a.x - z.x).map((x) => x.id)
  expect(rows({ width: 370, height: 300 })).toEqual(rows())
})

describe('neighbour', () => {
  const g = layOut(board(2, 6, 2))
  it.each([
    ['P1.A2', 'right', 'P1.A1'],
    ['P1.A1', 'right', 'P1.D1'],
    ['P1.C2', 'left', 'P1.C2'],
    ['P1.A2', 'down', 'P2.A2'],
    ['P2.B2', 'up', 'P1.B2'],
    ['P2.B2', 'down', 'P2.B2'],
  ] as const)('from %s %s is %s', (from, direction, to) => {
    expect(neighbour(g.slots, from, direction)).toBe(to)
  })
})
