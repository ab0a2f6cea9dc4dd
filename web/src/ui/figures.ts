/** Figures as they are shown everywhere: one rounding, one unit. A need is never rounded below itself, what is had never above. */

/** A figure as the trade writes it, to the nearest: no needless decimals. [GB] */
export function gb(value: number | null | undefined): string {
  return figure(value, Math.round)
}
/** What is needed or wished: rounded up, so that what meets the figure meets the need. [GB] */
export function gbUp(value: number | null | undefined): string {
  return figure(value, Math.ceil)
}
/** What is had or allowed: rounded down, so that nothing is promised that is not there. [GB] */
export function gbDown(value: number | null | undefined): string {
  return figure(value, Math.floor)
}

/** What is counted of a total, "64+" where something in it is not: its slot was not looked into, or its size is not told. [GB] */
export function counted(value: number, left_out: number | boolean, round = gb): string {
  return left_out ? (value ? `${round(value)}+` : '?') : round(value)
}

/** Whether so much is as much as is needed: sums of the same amounts may differ in their last digits. [GB] */
export const meets = (had: number, needed: number): boolean => had >= needed - 1e-6

/** Words in which no line is broken between a figure and its unit. */
export const unbroken = (words: string): string => words.replace(/(?<=\d) (?=(GB|V|MT\/s)\b)/g, '\u00a0')

/** Figures with the sign of a percentage, which stays beside them wherever a line is broken. */
export const percents = (figures: number | string): string => `${figures}\u00a0%`

/** A share in percent; what is nearly nought or nearly all is not rounded to it. */
export function percent(share: number): string {
  if (share > 0 && share < 0.005) return `under ${percents(1)}`
  return share < 1 && share >= 0.995 ? `over ${percents(99)}` : percents(Math.round(100 * share))
}

/** A probability of trouble, "at least" where something in the total is not counted: what that is adds to it. */
export const troubled = (trouble: number, left_out: number | boolean): string =>
  `${left_out ? 'at least ' : ''}${percent(trouble)}`

function figure(value: number | null | undefined, round: (value: number) => number): string {
  if (value === null || value === undefined) return '?'
  if (Number.isInteger(value)) return String(value)
  const by = Math.abs(value) < 10 ? 100 : 10
  // A binary fraction of a decimal figure is not rounded away from it: 235.9 is kept as 235.90000000000001 and the like.
  const scaled = Number((value * by).toFixed(6))
  return String(round(scaled) / by)
}
