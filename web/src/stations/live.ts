/** What others do to a machine and its plans, as it happens. */
import { onBeforeUnmount } from 'vue'
import type { HistoryLine } from '@/api/client'
import { follow } from '@/api/stream'

export function useLive(machineId: () => string, told: (line: HistoryLine) => void): void {
  onBeforeUnmount(follow(machineId(), told))
}
