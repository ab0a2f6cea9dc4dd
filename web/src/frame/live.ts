/** What follows events: others' work on a machine as it happens, and the server that comes back. */
import { onScopeDispose, watch } from 'vue'
import type { HistoryLine } from '@/api/client'
import { health } from '@/api/health'
import { follow } from '@/api/stream'
import { sentCount } from './outbox'

/** Told of each line of the machine's history as it is written; follows another machine as soon as the id is another. */
export function useLive(machineId: () => string | undefined, told: (line: HistoryLine) => void): void {
  let leave = () => {}
  const stop = () => {
    leave()
    leave = () => {}
  }
  watch(
    machineId,
    (key) => {
      stop()
      if (key) leave = follow(key, told)
    },
    { immediate: true },
  )
  onScopeDispose(stop)
}

/** Load now, again whenever what it is loaded by changes, once the server is back after it was away, and once it has what was said meanwhile. */
export function useLoaded(by: () => unknown, load: () => unknown): void {
  watch([by, () => health.recoveries, sentCount], () => void load(), { immediate: true })
}
