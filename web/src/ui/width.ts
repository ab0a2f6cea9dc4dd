/** A drawing is as wide as there is room for, so that its words keep their size on the screen. */
import { onBeforeUnmount, onMounted, ref, type Ref } from 'vue'

/** Width of an element [px], never under `least`: what is narrower scrolls inside its own box. */
export function useWidth(element: Ref<HTMLElement | undefined>, least: number, usual = 620): Ref<number> {
  const width = ref(usual)
  const watching = new ResizeObserver(
    ([entry]) => (width.value = Math.max(least, Math.round(entry!.contentRect.width))),
  )
  onMounted(() => element.value && watching.observe(element.value))
  onBeforeUnmount(() => watching.disconnect())
  return width
}

const NARROW = '(max-width: 700px)'

/** Whether the window is a phone's. */
export function useNarrow(): Ref<boolean> {
  const query = window.matchMedia(NARROW)
  const narrow = ref(query.matches)
  const tell = () => (narrow.value = query.matches)
  onMounted(() => query.addEventListener('change', tell))
  onBeforeUnmount(() => query.removeEventListener('change', tell))
  return narrow
}
