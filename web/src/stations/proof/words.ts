/** Words and small derivations of Proof. */
import { ENDED } from '@/stations/run/words'
import { plural } from '@/ui/words'
import { money } from '@/stations/routes/words'
import type { Board, Faults, FaultTrial, Layout, Proof, Severity, SoakView } from '@/api/client'
import { percent } from '@/ui/figures'

/** How each way of being seen is marked: by shape and colour. */
export const MARKS: Record<string, Severity | 'go'> = {
  right: 'go',
  'right by its total': 'go',
  missing: 'stop',
  smaller: 'stop',
  elsewhere: 'risk',
  'unlike part': 'risk',
  'not planned': 'risk',
  slower: 'slow',
  'not told': 'ask',
}

export function printedOf(board: Board, slot: string): string {
  return board.slots.find((s) => s.id === slot)?.printed ?? slot
}

/** What the path says of a proof. */
export function proofWords(proof: Proof): string {
  if (proof.state !== 'under way') return ENDED[proof.state] ?? proof.state
  if (proof.faults && proof.faults.ended === null) return proof.faults.culprit ? 'culprit named' : 'fault search'
  const wrong = proof.seen?.stale
    ? 0
    : (proof.seen?.comparison.slots.filter((s) => !['right', 'right by its total', 'not told'].includes(s.seen))
        .length ?? 0)
  if (wrong) return `${wrong} ${wrong === 1 ? 'slot' : 'slots'} not right`
  if (proof.soak && proof.soak.state.passed === null) return `soak, ${daysWords(proof.soak.state.days_left ?? 0)} left`
  if (proof.complete) return 'ready to sign off'
  return `${proof.items.filter((i) => i.state === 'lacking' || i.state === 'against').length} lacking`
}

export function daysWords(days: number): string {
  if (days >= 2) return `${Math.round(days * 10) / 10} d`
  return days * 24 >= 1 ? `${Math.round(days * 24)} h` : `${Math.max(0, Math.round(days * 1440))} min`
}

/** What the board shows after a survey: what is right lies flat, what is not seen still floats over its slot. */
export function seenLayout(proof: Proof, goal: Layout): Layout {
  const now: Layout = {}
  for (const s of proof.seen?.comparison.slots ?? []) {
    if (['right', 'right by its total', 'slower'].includes(s.seen)) {
      if (goal[s.slot]) now[s.slot] = goal[s.slot]!
    } else if (s.found && s.found !== 'unknown') now[s.slot] = s.found
  }
  return now
}

/** Modules by the slots that a search has put them in. */
export function arranged(arrangement: Record<string, string>, goal: Layout): Layout {
  return Object.fromEntries(
    Object.entries(arrangement)
      .filter(([, name]) => goal[name])
      .map(([slot, name]) => [slot, goal[name]!]),
  )
}

/** The results that are likeliest after a boot: nothing, what was dark before, the places that the suspects would have now. */
export function likelyResults(faults: Faults, trial: FaultTrial): string[][] {
  const before = lastDark(faults)
  const moved = before.map((s) => trial.moves[s] ?? s).filter((s) => s in trial.arrangement)
  const still = before.filter((s) => s in trial.arrangement)
  const sets = [[], still, moved]
  return sets.filter((set, i) => sets.findIndex((x) => x.join() === set.join()) === i)
}

/** What going on would take, and whether replacing a few at once is the cheaper way. */
export function goingOn(left: NonNullable<Faults['left']>, names: (slots: string[]) => string): string {
  const hours = left.minutes / 60
  const time = hours < 2 ? `${left.minutes} min` : `${Math.round(hours)} h`
  const told = [`About ${plural(left.boots, 'more boot')} (${time}) until one is named.`]
  if (left.at_once.length > 1) {
    told.push(
      `Or replace the modules planned for ${names(left.at_once)} at once: ${percent(left.odds)} that it is one of them.`,
    )
    if (left.unpriced)
      told.push(
        `Which is cheaper is not known: ${left.unpriced === 'hours' ? 'no hour has a price yet (Shelf, Money)' : 'no offer of these modules is on the Shelf'}.`,
      )
    else {
      const sums = `${money(left.at_once_cost!, left.currency)} against ${money(left.going_on_cost!, left.currency)} of hours, beyond the one that is replaced either way`
      told.push(`${left.at_once_is_cheaper ? 'That is cheaper' : 'Going on is cheaper'}: ${sums}.`)
    }
  }
  return told.join(' ')
}

export const lastDark = (faults: Faults): string[] => faults.boots.at(-1)?.dark ?? []

export interface Line {
  slot: string
  points: [number, number][]
}

/** Errors counted since the soak began, by slot, where any were; a counter that went back began anew. */
export function errorLines(soak: SoakView): Line[] {
  const slots = [...new Set(soak.readings.flatMap((r) => Object.keys(r.slots)))]
  return slots.flatMap((slot) => {
    let sum = 0
    let last: number | null = null
    const points: [number, number][] = []
    for (const r of soak.readings) {
      const count = r.slots[slot]?.correctable
      if (count === undefined || count === null) continue
      if (last !== null) sum += count >= last ? count - last : count
      last = count
      points.push([r.day, sum])
    }
    return points.length ? [{ slot, points }] : []
  })
}

/** The hottest module at each reading. */
export function hottest(soak: SoakView): [number, number][] {
  return soak.readings.flatMap((r) => {
    const told = Object.values(r.slots).flatMap((h) =>
      h.temperature_c === null || h.temperature_c === undefined ? [] : [h.temperature_c],
    )
    return told.length ? [[r.day, Math.max(...told)] as [number, number]] : []
  })
}
