/** Titles of documents: of the place, and of what is open in it. */
import { watchEffect } from 'vue'

/** The title for as long as the view is there; the place's own comes first. */
export function useTitle(words: () => string): void {
  watchEffect(() => {
    document.title = words() ? `${words()} · Umbrak` : 'Umbrak'
  })
}
