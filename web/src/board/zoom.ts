/** How near a board is looked at: a window of its picture, moved and narrowed about a point, never past the edge. */
import { computed, ref, type Ref } from 'vue'
import type { Rect } from './geometry'

const NEAREST = 6
const STEP = 1.25

export interface Size {
  width: number
  height: number
}

/** The window of a picture: `zoom` times nearer, about a centre as far as the picture's edges allow. */
export function windowOf(size: Size, zoom: number, centre: [number, number]): Rect {
  const width = size.width / zoom
  const height = size.height / zoom
  const within = (at: number, span: number, whole: number) => Math.min(Math.max(at - span / 2, 0), whole - span)
  return { x: within(centre[0], width, size.width), y: within(centre[1], height, size.height), width, height }
}

/** The zoom by which something of a size on screen is that size again, so that a point stays where it is. */
export function useZoom(size: Ref<Size>) {
  const zoom = ref(1)
  const centre = ref<[number, number]>([0, 0])
  const view = computed(() => windowOf(size.value, zoom.value, centre.value))

  /** Nearer (or farther, below 1) by a factor, keeping a point of the board where it is on the screen. */
  function by(factor: number, at?: [number, number]): void {
    const before = view.value
    const next = Math.min(NEAREST, Math.max(1, zoom.value * factor))
    const [x, y] = at ?? [before.x + before.width / 2, before.y + before.height / 2]
    const share = zoom.value / next
    const middle = (point: number, start: number, span: number) => point + (start + span / 2 - point) * share
    centre.value = [middle(x, before.x, before.width), middle(y, before.y, before.height)]
    zoom.value = next
  }

  /** Move the window just so far that a part of the board is inside. */
  function reveal(part: Rect): void {
    const v = view.value
    const shift = (start: number, span: number, from: number, length: number) =>
      start < from ? start - from : Math.max(0, start + span - from - length)
    const dx = shift(part.x, part.width, v.x, v.width)
    const dy = shift(part.y, part.height, v.y, v.height)
    if (dx || dy) centre.value = [v.x + v.width / 2 + dx, v.y + v.height / 2 + dy]
  }

  return {
    zoom,
    view,
    by,
    reveal,
    nearer: () => by(STEP),
    farther: () => by(1 / STEP),
    whole: () => (zoom.value = 1),
    step: STEP,
  }
}
