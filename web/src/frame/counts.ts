/** How many things want somebody at each place: asked again when one goes elsewhere, but not oftener than this. */
import { ref } from 'vue'
import { api, ask, type DeskCounts } from '@/api/client'

const PAUSE_MS = 15_000
export const counts = ref<DeskCounts | null>(null)
let asked = -Infinity

export async function tellCounts(now = Date.now()): Promise<void> {
  if (now - asked < PAUSE_MS) return
  asked = now
  try {
    counts.value = await ask(api.GET('/api/desk/counts'))
  } catch {
    // the banner tells; what was told before may not be so any more
    counts.value = null
  }
}
