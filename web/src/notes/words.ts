/** What Field notes calls outcomes, each with a shape of its own. */
export const OUTCOMES: Record<string, string> = {
  fine: 'fine',
  quirks: 'fine, with quirks',
  'not-seen': 'not seen, or no start',
  unstable: 'unstable',
}

/** What may cost something: the outcomes that are no success, and a new module that fails later. */
export const LOSSES: Record<string, string> = { ...OUTCOMES, early: 'a module that comes in fails early' }

/** A tick, a dot, a square, a diamond: told apart without colour. */
export function outcomeShape(outcome: string): string {
  return (
    {
      fine: 'M1 6l1.6-1.6L5 6.8 9.8 2l1.6 1.6L5 10z',
      quirks: 'M6 2a4 4 0 1 0 .01 0z',
      'not-seen': 'M2 2h8v8H2z',
      unstable: 'M6 0l6 6-6 6-6-6z',
    }[outcome] ?? ''
  )
}
