/** Slots marked to be done something with at once. */
import { shallowRef } from 'vue'
import type { Layout, Module } from '@/api/client'
import type { Changes } from './plan'

export function useMarks(goal: () => Layout, edit: (changes: Changes) => unknown) {
  const marked = shallowRef(new Set<string>())

  function mark(slot: string): void {
    const next = new Set(marked.value)
    if (!next.delete(slot)) next.add(slot)
    marked.value = next
  }
  function clear(): void {
    marked.value = new Set()
  }
  /** One module's kind into every marked slot, as one change. */
  function fill(module: Module): void {
    edit(Object.fromEntries([...marked.value].map((s) => [s, module])))
    clear()
  }
  /** Take out what a slot holds; with all others where it is one of the marked. */
  function takeOut(slot: string): void {
    const slots = (marked.value.has(slot) ? [...marked.value] : [slot]).filter((s) => goal()[s] !== undefined)
    if (slots.length) edit(Object.fromEntries(slots.map((s) => [s, null])))
    clear()
  }
  /** Two marked slots change what they hold. */
  function swap(): void {
    const [a, b] = [...marked.value] as [string, string]
    edit({ [a]: goal()[b] ?? null, [b]: goal()[a] ?? null })
    clear()
  }
  return { marked, mark, clear, fill, takeOut, swap }
}
