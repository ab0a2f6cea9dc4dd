/** What is asked again whenever that of which it is asked changes. */
import { shallowRef, watch, type ShallowRef } from 'vue'

/**
 * The answer of what is there now: undefined while it is asked for, so that nothing is shown of another state.
 *
 * @param key tells states apart; '' = nothing is asked
 */
export function useAsked<T>(key: () => string, ask: () => Promise<T>): Readonly<ShallowRef<T | undefined>> {
  const found = shallowRef<T>()
  watch(
    key,
    async (mine) => {
      found.value = undefined
      if (!mine) return
      try {
        const answer = await ask()
        if (key() === mine) found.value = answer
      } catch {
        // the banner tells; a change asks again
      }
    },
    { immediate: true },
  )
  return found
}
