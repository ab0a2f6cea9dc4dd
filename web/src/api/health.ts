/** Whether the server answers; when it does not, it is asked again until it does. */
import { reactive } from 'vue'

const ASK_AGAIN_MS = 1500

export const health = reactive({
  /** Why nothing can be saved now; empty when all is well. */
  trouble: '',
  /** Counts recoveries: what was shown before may be old. */
  recoveries: 0,
  lost(why: string) {
    if (!health.trouble) {
      health.trouble = why
      void watch()
    }
  },
  /** Resolves as soon as the server answers again. */
  async restored(): Promise<void> {
    while (health.trouble) await pause(100)
  },
})

async function watch(): Promise<void> {
  for (;;) {
    await pause(ASK_AGAIN_MS)
    try {
      if ((await fetch('/readyz', { cache: 'no-store' })).ok) break
    } catch {
      // still away
    }
  }
  health.trouble = ''
  health.recoveries += 1
}

function pause(ms: number): Promise<void> {
  return new Promise((done) => setTimeout(done, ms))
}
