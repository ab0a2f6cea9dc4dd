/** A screen that stays on while somebody works by it, where the browser can do that. */
import { onBeforeUnmount, onMounted } from 'vue'

export function useWakeLock(): void {
  let lock: WakeLockSentinel | null = null
  let over = false
  async function hold(): Promise<void> {
    // The browser takes it back whenever the page is hidden.
    if (over || document.visibilityState !== 'visible' || !('wakeLock' in navigator) || (lock && !lock.released)) return
    try {
      lock = await navigator.wakeLock.request('screen')
      if (over) await lock.release()
    } catch {
      // refused, as with an empty battery: the screen goes dark as it would
    }
  }
  const again = () => void hold()
  onMounted(() => {
    document.addEventListener('visibilitychange', again)
    again()
  })
  onBeforeUnmount(() => {
    over = true
    document.removeEventListener('visibilitychange', again)
    void lock?.release()
  })
}
