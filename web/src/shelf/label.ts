/** A module told by its label, typed or scanned, or by its SPD. */
import { ref, watch, type Ref } from 'vue'
import { api, ask, type Module } from '@/api/client'
import { moduleWords } from '@/board/state'

export interface ToldModule {
  label: Ref<string>
  /** What has been understood so far; "" = nothing. */
  words: Ref<string>
  /** The module; with nothing told one of which nothing is known. */
  module: () => Promise<Partial<Module>>
  /** Take the module from a file with its SPD. */
  takeSpd: (file: File) => Promise<void>
}

export function useLabel(): ToldModule {
  const label = ref('')
  const words = ref('')
  let bySpd: Module | null = null
  async function read(): Promise<Partial<Module>> {
    if (bySpd) return bySpd
    return label.value.trim() ? (await ask(api.POST('/api/label', { body: { text: label.value } }))).module : {}
  }
  async function takeSpd(file: File): Promise<void> {
    const body = new FormData()
    body.append('file', file)
    const spd = await ask(api.POST('/api/spd', { body: body as never, bodySerializer: (b) => b as never }))
    label.value = ''
    bySpd = spd.module
    words.value = `SPD read: ${spd.short}, part ${spd.module.part ?? 'not told'}; ${[spd.crc_ok ? 'checksums right' : 'checksums wrong', ...spd.warnings.map((w) => `${w.where}: ${w.message}`)].join('; ')}.`
  }
  watch(label, async (typed) => {
    if (!typed && bySpd) return
    bySpd = null
    const found = await read()
    if (typed === label.value) words.value = found.capacity_gib ? `Read as ${moduleWords(found as Module)}${found.part ? `, part ${found.part}` : ''}.` : ''
  })
  return { label, words, module: read, takeSpd }
}
