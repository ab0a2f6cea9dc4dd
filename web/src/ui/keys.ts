/** Which keys do what on the view that is shown: told by the views, shown on `?`. */
import { onBeforeUnmount, ref, shallowRef } from 'vue'

export interface Key {
  keys: string
  does: string
}

/** Whether the list of keys, or the field that finds anything, is open. */
export const helping = ref(false)
export const finding = ref(false)
/** What was typed after the key that opens Find, before its field was there. */
export const typedAhead = ref('')

const told = shallowRef<{ of: string; keys: Key[] }[]>([])
/** What is shown on `?`, by part of the view. */
export const shownKeys = told

/** Tell the keys of a part of the view for as long as it is there. */
export function useKeys(of: string, keys: Key[]): void {
  const mine = { of, keys }
  told.value = [...told.value, mine]
  onBeforeUnmount(() => (told.value = told.value.filter((t) => t !== mine)))
}

/** Whether a key is meant as text: then no letter does anything. */
export function isTyping(event: KeyboardEvent): boolean {
  const at = event.target as HTMLElement | null
  return !!at?.closest('input, textarea, select, [contenteditable]')
}
