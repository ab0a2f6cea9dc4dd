/** Stages of a plan as a form shows them: a number for each slot that changes. */
import type { Layout, PlanView } from '@/api/client'

export type StageChanges = Record<string, Layout[string] | null>

/** Slot -> the stage in which it comes to what the plan ends with; 1 where all is done at once. */
export function numbered(
  now: Layout,
  goal: Layout,
  stages: PlanView['stages'],
  order: string[],
): Record<string, number> {
  const same = (a: unknown, b: unknown) => JSON.stringify(a ?? null) === JSON.stringify(b ?? null)
  const changed = order.filter((s) => !same(now[s], goal[s]))
  return Object.fromEntries(
    changed.map((s) => [s, Math.max(1, ...stages.map((stage, i) => (s in stage.changes ? i + 1 : 1)))]),
  )
}

/** What each stage but the last changes; numbers that nothing has are left out. */
export function stagesOf(numbers: Record<string, number>, goal: Layout): StageChanges[] {
  const used = [...new Set(Object.values(numbers))].sort((a, b) => a - b)
  return used.slice(0, -1).map((n) =>
    Object.fromEntries(
      Object.entries(numbers)
        .filter(([, of]) => of === n)
        .map(([s]) => [s, goal[s] ?? null]),
    ),
  )
}
