/** Parts of a page that are shown together: one that comes later would move what is being pressed, and is "none" until it is known. */
import { inject, onScopeDispose, provide, ref, watch, type InjectionKey, type Ref } from 'vue'

const key: InjectionKey<Ref<number>> = Symbol('parts that are not known yet')

/** One more part that is awaited; what is returned says that it is known, or cannot be. */
function partOf(awaited: Ref<number> | null): () => void {
  if (!awaited) return () => {}
  awaited.value += 1
  let told = false
  const known = () => {
    if (!told) awaited.value -= 1
    told = true
  }
  onScopeDispose(known)
  return known
}

/** For a part, in its setup: what is called once it knows what it shows, or cannot know. */
export const usePart = () => partOf(inject(key, null))

/** For the page: whether its parts are known, true from then on; and `part` for what it asks itself. Parts made later hide nothing. */
export function useTogether(): { whole: Readonly<Ref<boolean>>; part: () => () => void } {
  const awaited = ref(0)
  const whole = ref(false)
  provide(key, awaited)
  watch(awaited, (n) => n === 0 && (whole.value = true))
  return { whole, part: () => partOf(awaited) }
}
