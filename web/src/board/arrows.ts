/** Modules that change their slot, as arcs over the board. Pure numbers. */

export interface Placed {
  id: string
  x: number
  y: number
  width: number
  height: number
}

export interface Arc {
  key: string
  /** SVG paths of the arc, and of its head. */
  path: string
  head: string
}

/** From the middle of one slot to the middle of another; a move from or to a slot that is not drawn is left out. */
export function arcs(moves: [from: string, to: string][], slots: Placed[]): Arc[] {
  const at = new Map(slots.map((s) => [s.id, { x: s.x + s.width / 2, y: s.y + s.height / 3 }]))
  return moves.flatMap(([from, to]) => {
    const a = at.get(from)
    const b = at.get(to)
    if (!a || !b) return []
    const lift = Math.max(40, Math.abs(b.x - a.x) / 5)
    // Two that change places go by different ways.
    const sign = a.x < b.x || (a.x === b.x && a.y < b.y) ? -1 : 1
    const c = { x: (a.x + b.x) / 2 + (Math.abs(b.y - a.y) > 20 ? sign * lift : 0), y: (a.y + b.y) / 2 + sign * lift }
    const angle = Math.atan2(b.y - c.y, b.x - c.x)
    const wing = (turn: number) =>
      `${(b.x - 11 * Math.cos(angle + turn)).toFixed(1)} ${(b.y - 11 * Math.sin(angle + turn)).toFixed(1)}`
    return [
      {
        key: `${from}>${to}`,
        path: `M${a.x} ${a.y}Q${c.x} ${c.y} ${b.x} ${b.y}`,
        head: `M${wing(0.5)}L${b.x} ${b.y}L${wing(-0.5)}`,
      },
    ]
  })
}
