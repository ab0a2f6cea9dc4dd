/** The kinds of reports that are read, asked for once a page. */
import { shallowRef, type ShallowRef } from 'vue'
import { api, ask } from '@/api/client'

const kinds = shallowRef<string[]>([])

export function useKinds(): ShallowRef<string[]> {
  if (!kinds.value.length) {
    ask(api.GET('/api/intakes/kinds')).then(
      (found) => (kinds.value = found),
      () => undefined, // what it looks like still decides
    )
  }
  return kinds
}
