import { describe, expect, it } from 'vitest'
import { ref } from 'vue'
import { useZoom, windowOf } from './zoom'

const size = { width: 1000, height: 400 }

describe('windowOf', () => {
  it.each([
    [1, [0, 0], { x: 0, y: 0, width: 1000, height: 400 }],
    [2, [500, 200], { x: 250, y: 100, width: 500, height: 200 }],
    [2, [0, 0], { x: 0, y: 0, width: 500, height: 200 }],
    [4, [990, 390], { x: 750, y: 300, width: 250, height: 100 }],
  ] as const)('%i times nearer about %j', (zoom, centre, expected) => {
    expect(windowOf(size, zoom, [...centre])).toEqual(expected)
  })
})

describe('useZoom', () => {
  it('keeps the point under the pointer where it is, and comes back to the whole', () => {
    const z = useZoom(ref(size))
    const share = (x: number) => (x - z.view.value.x) / z.view.value.width
    const before = share(300)
    z.by(2, [300, 120])
    expect(share(300)).toBeCloseTo(before)
    z.by(0.01)
    expect(z.view.value).toEqual({ x: 0, y: 0, ...size })
    z.by(100)
    expect(z.zoom.value).toBe(6)
  })

  it('moves just so far that a part is seen', () => {
    const z = useZoom(ref(size))
    z.by(4, [0, 0])
    z.reveal({ x: 600, y: 350, width: 20, height: 50 })
    expect(z.view.value).toEqual({ x: 370, y: 300, width: 250, height: 100 })
    z.reveal({ x: 400, y: 310, width: 20, height: 20 })
    expect(z.view.value.x).toBe(370)
  })
})
