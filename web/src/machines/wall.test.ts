import { describe, expect, it } from 'vitest'
import { at, scaleOf, short, ticks } from './wall'

describe('the scale of the wall', () => {
  it.each([
    [[8, 480, 1280], { from: 8, to: 2048 }],
    [[16, 16], { from: 2, to: 32 }],
    [[], { from: 2, to: 32 }],
    [[0.5, 4096], { from: 1, to: 4096 }],
  ])('of %o', (gib, scale) => expect(scaleOf(gib)).toEqual(scale))
  it('names every second doubling of a long scale', () =>
    expect(ticks({ from: 1, to: 4096 })).toEqual([1, 4, 16, 64, 256, 1024, 4096]))
  it('places doublings evenly, and nothing beyond its ends', () => {
    const scale = { from: 8, to: 128 }
    expect(ticks(scale).map((t) => at(t, scale))).toEqual([0, 0.25, 0.5, 0.75, 1])
    expect([at(0, scale), at(4, scale), at(1000, scale)]).toEqual([0, 0, 1])
    expect([512, 1024, 3072].map(short)).toEqual(['512', '1 TB', '3 TB'])
  })
})
