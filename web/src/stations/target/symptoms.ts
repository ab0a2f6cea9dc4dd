/** What a machine showed of its memory's use, as Target and Proof show it: loaded, looked at again, taken back. */
import { ref, shallowRef, watch } from 'vue'
import { api, ask, wordsOf, type SymptomsView } from '@/api/client'

/** @param of the machine; what it tells is loaded again when the rest of what it returns changes */
export function useSymptoms(of: () => [machineId: string, ...rest: unknown[]]) {
  const view = shallowRef<SymptomsView>()
  const wrong = ref('')
  /** Whether the figures are being entered. */
  const open = ref(false)
  async function show(found: Promise<SymptomsView>): Promise<void> {
    try {
      view.value = await found
      wrong.value = ''
    } catch (error) {
      wrong.value = wordsOf(error)
    }
  }
  watch(
    of,
    ([machine_id]) => show(ask(api.GET('/api/machines/{machine_id}/symptoms', { params: { path: { machine_id } } }))),
    { immediate: true },
  )
  function kept(found: SymptomsView): void {
    view.value = found
    open.value = false
  }
  const drop = (key: string) =>
    show(
      ask(api.DELETE('/api/machines/{machine_id}/symptoms/{key}', { params: { path: { machine_id: of()[0], key } } })),
    )
  return { view, wrong, open, kept, drop }
}
