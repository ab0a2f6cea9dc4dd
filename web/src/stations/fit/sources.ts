/** What the tray takes from besides what is fitted: the Shelf and the offers, read again when a plan has changed. */
import { computed, shallowRef, watch, type ComputedRef } from 'vue'
import { api, ask, type Shelf } from '@/api/client'
import { offerSources, shelfSources, type Source } from './tray'

export interface Sources {
  shelf: ComputedRef<Source[]>
  offers: ComputedRef<Source[]>
}

export function useSources(machineId: () => string, changed: () => unknown): Sources {
  const kept = shallowRef<Shelf>()
  watch(
    changed,
    async () => {
      try {
        kept.value = await ask(api.GET('/api/shelf', { params: { query: { machine_id: machineId() } } }))
      } catch {
        // the banner tells; the tray keeps what it had
      }
    },
    { immediate: true },
  )
  const made = (of: typeof shelfSources) => computed(() => (kept.value ? of(kept.value) : []))
  return { shelf: made(shelfSources), offers: made(offerSources) }
}
