/** Where shares stand on the chart of trouble: small ones have more room than large ones. */

/** A share, 0 to 1, as a place from 0 to 1. */
export const placed = (share: number): number => Math.sqrt(Math.min(1, Math.max(0, share)))

/** A dot's radius: its area is as the count. */
export const dotSize = (count: number, most: number): number => 2.5 + 4 * Math.sqrt(count / Math.max(1, most))
