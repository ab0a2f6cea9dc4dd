/** Odds and ranges in words. */
import { percent, percents } from './figures'

/** A chance that something works: near certainty is told finer, and never as certain. */
export function surely(p: number): string {
  if (p > 0.9995) return p === 1 ? percents(100) : `over ${percents(99.9)}`
  return p > 0.985 ? percents((100 * p).toFixed(1)) : percent(p)
}

/** What a trial does to odds: "makes it 12 times as likely as not before", or less likely. */
export function timesWords(times: number): string {
  const round = (n: number) => (n >= 10 ? String(Math.round(n)) : String(+n.toFixed(1)))
  if (times >= 1) return `multiplies its odds by ${round(times)}`
  return `divides its odds by ${round(1 / Math.max(times, 1e-9))}`
}

/** "9 to 31 %": as low and as high as trouble comes to when it is looked at otherwise. */
export function rangeWords(range: { low: number; high: number }): string {
  const [low, high] = [Math.round(100 * range.low), Math.round(100 * range.high)]
  return percents(low === high ? low : `${low}\u00a0to\u00a0${high}`)
}

/** What moves it most: "every doubt at double makes it 31 %"; "" where nothing does by a point. */
export function movedWords(range: { ways: { words: string; trouble: number }[] }, trouble: number): string {
  const most = range.ways[0]
  if (!most || Math.abs(most.trouble - trouble) < 0.01) return ''
  return `${most.words}: ${percent(most.trouble)}`
}
