/** The curve of reach over the capacity axis: how likely it is that so much runs. Pure numbers. */
import type { CeilingView } from '@/api/client'
import type { Axis } from './axis'

export type Reach = CeilingView['reach'][number]

export interface Curve {
  /** SVG paths: the likelihood with all trials, before any, and the span between its lowest and its highest. */
  works: string
  prior: string
  span: string
}

/** Where a probability stands: all at the top, nothing at the bottom. */
export const heightOf = (p: number, top: number, height: number): number => top + (1 - p) * height

export function curveOf(points: Reach[], axis: Axis, top: number, height: number): Curve {
  const path = (of: (r: Reach) => number) =>
    points
      .map((r, i) => `${i ? 'L' : 'M'}${axis.x(r.gib).toFixed(1)} ${heightOf(of(r), top, height).toFixed(1)}`)
      .join('')
  const back = [...points].reverse()
  const span = points.length
    ? `${path((r) => r.high)}${back.map((r) => `L${axis.x(r.gib).toFixed(1)} ${heightOf(r.low, top, height).toFixed(1)}`).join('')}z`
    : ''
  return { works: path((r) => r.works), prior: path((r) => r.prior), span }
}

/** The point of the curve nearest below or at a total; before the first, the first; beyond the last nothing is known. */
export function readAt(points: Reach[], gib: number): Reach | undefined {
  if (gib > (points.at(-1)?.gib ?? 0) * 1.001) return undefined
  return [...points].reverse().find((r) => r.gib <= gib + 1e-6) ?? points[0]
}
