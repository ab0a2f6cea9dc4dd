import { describe, expect, it } from 'vitest'
import { doublingScale, moneyScale, placePoints, scaleOf } from './plot'

describe('scales', () => {
  it('has round steps from nothing to beyond the greatest', () => {
    const s = scaleOf([836, 4080], 0, 500)
    expect(s.ticks).toEqual([0, 2000, 4000, 6000])
    expect(s.at(3000)).toBe(250)
  })
  it('begins below the least where all lies far from nothing', () => {
    const s = scaleOf([800, 1000], 0, 500)
    expect(s.ticks).toEqual([700, 800, 900, 1000, 1100])
    expect(scaleOf([900], 0, 500).ticks[0]).toBe(0)
  })
  it('gives the many room where one costs many times as much', () => {
    expect(moneyScale([836, 4080], 0, 500)).toEqual({ ...scaleOf([836, 4080], 0, 500), at: expect.any(Function) })
    const s = moneyScale([1200, 1300, 1500, 3100, 13000], 0, 500)
    expect(s.at(3100) - s.at(1200)).toBeGreaterThan(90)
    expect(s.ticks).toEqual([0, 200, 1000, 2000, 5000, 10000])
    expect(s.at(13000)).toBeLessThan(500)
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
  const point = (index: number, cost: number, value: number, words: string) => ({
    index,
    cost,
    value,
    trouble: 0,
    words,
  })

  it('keeps them off other marks and words, and inside', () => {
    const placed = placePoints(
      [point(0, 50, 50, 'cheapest'), point(1, 52, 50, 'fastest'), point(2, 98, 50, 'largest')],
      x,
      y,
      0,
      340,
    )
    expect(placed.map((p) => p.label?.anchor)).toEqual(['end', 'start', 'end'])
  })
  it('leaves out what has no room', () => {
    const heap = Array.from({ length: 14 }, (_, i) => point(i, 50, 50, 'much too long for this'))
    expect(placePoints(heap, x, y, 0, 400).some((p) => p.label === null)).toBe(true)
  })
  it('tells marks at one place apart, and keeps where they belong', () => {
    const placed = placePoints(
      Array.from({ length: 9 }, (_, i) => point(i, 50, 50, '')),
      x,
      y,
      0,
      400,
    )
    for (const p of placed) {
      expect(p.true).toEqual({ x: x.at(50), y: y.at(50) })
      for (const q of placed) if (p !== q) expect(Math.hypot(p.x - q.x, p.y - q.y)).toBeGreaterThan(p.size)
    }
    expect(placed[0]).toMatchObject(placed[0]!.true)
  })
  it('is larger with more trouble', () => {
    const [calm, risky] = placePoints([point(0, 10, 10, ''), { ...point(1, 20, 10, ''), trouble: 0.5 }], x, y, 0, 400)
    expect(risky!.size).toBeGreaterThan(calm!.size)
  })
})
