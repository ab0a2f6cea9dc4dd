import { describe, expect, it } from 'vitest'
import { doublingScale, placePoints, scaleOf } from './plot'

describe('scales', () => {
  it('has round steps from nothing to beyond the greatest', () => {
    const s = scaleOf([836, 4080], 0, 500)
    expect(s.ticks).toEqual([0, 2000, 4000, 6000])
    expect(s.at(3000)).toBe(250)
  })
  it('doubles', () => {
    const s = doublingScale([32, 256], 300, 0)
    expect(s.ticks).toEqual([32, 64, 128, 256])
    expect(s.at(64) - s.at(128)).toBeCloseTo(s.at(128) - s.at(256))
  })
})

describe('words beside marks', () => {
  const x = scaleOf([100], 0, 400)
  const y = scaleOf([100], 300, 0)
  const point = (index: number, cost: number, value: number, words: string) => ({ index, cost, value, trouble: 0, words })

  it('keeps them off other marks and words, and inside', () => {
    const placed = placePoints([point(0, 50, 50, 'cheapest'), point(1, 52, 50, 'fastest'), point(2, 98, 50, 'largest')], x, y, 0, 340)
    expect(placed.map((p) => p.label?.anchor)).toEqual(['start', 'end', 'end'])
  })
  it('leaves out what has no room', () => {
    const heap = Array.from({ length: 14 }, (_, i) => point(i, 50, 50, 'much too long for this'))
    expect(placePoints(heap, x, y, 0, 400).some((p) => p.label === null)).toBe(true)
  })
  it('is larger with more trouble', () => {
    const [calm, risky] = placePoints([point(0, 10, 10, ''), { ...point(1, 20, 10, ''), trouble: 0.5 }], x, y, 0, 400)
    expect(risky!.size).toBeGreaterThan(calm!.size)
  })
})
