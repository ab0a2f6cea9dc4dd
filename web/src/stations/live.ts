/** What others do to a machine and its plans, as it happens. The browser reconnects and resumes by itself. */
import { onBeforeUnmount } from 'vue'
import type { HistoryLine } from '@/api/client'

export function useLive(machineId: () => string, told: (line: HistoryLine) => void): void {
  const source = new EventSource(`/api/events?machine=${machineId()}`)
  source.addEventListener('line', (event) => told(JSON.parse((event as MessageEvent<string>).data) as HistoryLine))
  onBeforeUnmount(() => source.close())
}
