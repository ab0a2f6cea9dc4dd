/** Stages of a route in words. */
import type { Board, Layout } from '@/api/client'
import { same } from '@/board/state'
import { gb } from '@/ui/figures'

export const STAGINGS: Record<string, string> = {
  'one first': 'One module first',
  'one of each kind': 'One of each kind, one after another',
  'half first': 'A part of it first',
  'smaller first': 'A smaller one first, in the same slot',
}

/** What a stage does, by printed slots: "32 GB AB-32 into A1 and B1, A2 emptied". */
export function stageWords(board: Board, before: Layout, after: Layout): string {
  const into = new Map<string, string[]>()
  const emptied: string[] = []
  for (const slot of board.slots) {
    const module = after[slot.id]
    if (same(module, before[slot.id])) continue
    if (!module) emptied.push(slot.printed)
    else {
      const words =
        module === 'unknown' ? 'an unknown module' : `${gb(module.capacity_gib)} GB ${module.part ?? ''}`.trim()
      into.set(words, [...(into.get(words) ?? []), slot.printed])
    }
  }
  const listed = (names: string[]) =>
    names.length > 4 ? `${names.slice(0, 3).join(', ')} and ${names.length - 3} more` : names.join(', ')
  return (
    [
      ...[...into].map(([words, slots]) => `${words} into ${listed(slots)}`),
      ...(emptied.length ? [`${listed(emptied)} emptied`] : []),
    ].join('; ') || 'nothing changes'
  )
}
