/** A label as it is typed: what it is understood as, and the module it tells. */
import { ref, watch, type Ref } from 'vue'
import { api, ask, type Module } from '@/api/client'
import { moduleWords } from '@/board/state'

export interface TypedLabel {
  label: Ref<string>
  /** What has been understood so far; "" = nothing. */
  words: Ref<string>
  /** The module; with nothing typed one of which nothing is known. */
  module: () => Promise<Partial<Module>>
}

export function useLabel(): TypedLabel {
  const label = ref('')
  const words = ref('')
  async function read(): Promise<Partial<Module>> {
    return label.value.trim() ? (await ask(api.POST('/api/label', { body: { text: label.value } }))).module : {}
  }
  watch(label, async (typed) => {
    const found = await read()
    if (typed === label.value) words.value = found.capacity_gib ? `Read as ${moduleWords(found as Module)}${found.part ? `, part ${found.part}` : ''}.` : ''
  })
  return { label, words, module: read }
}
