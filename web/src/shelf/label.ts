/** A module told by its label, typed or scanned, or by its SPD. */
import { ref, watch, type Ref } from 'vue'
import { api, ask, faultsOf, type Module } from '@/api/client'

export interface ToldModule {
  label: Ref<string>
  /** What has been understood so far; "" = nothing. */
  words: Ref<string>
  /** Of how many modules the label tells; null = of one. */
  kit: Ref<number | null>
  /** The module; with nothing told one of which nothing is known. */
  module: () => Promise<Partial<Module>>
  /** Take the module from a chosen file with its SPD. */
  spd: (event: Event) => Promise<void>
}

/**
 * @param wrong is told what is wrong with an SPD
 * @param part a part number that is typed beside the label: where that is all that is told, the module is known by it
 */
export function useLabel(wrong: Ref<string>, part?: () => string): ToldModule {
  const label = ref('')
  const words = ref('')
  const kit = ref<number | null>(null)
  let bySpd: Module | null = null
  async function read(): Promise<Partial<Module>> {
    if (bySpd) return bySpd
    return label.value.trim() ? (await ask(api.POST('/api/label', { body: { text: label.value } }))).module : {}
  }
  async function spd(event: Event): Promise<void> {
    const file = (event.target as HTMLInputElement).files?.[0]
    if (!file) return
    wrong.value = ''
    const body = new FormData()
    body.append('file', file)
    try {
      const read = await ask(api.POST('/api/spd', { body: body as never, bodySerializer: (b) => b as never }))
      label.value = ''
      kit.value = null
      bySpd = read.module
      const said = [
        `SPD read: ${read.short}, part ${read.module.part ?? 'not told'}`,
        read.crc_ok ? 'checksums right' : 'checksums wrong',
        ...read.warnings.map((w) => `${w.where}: ${w.message}`),
      ]
      words.value = `${said.join('; ')}.`
    } catch (error) {
      wrong.value = faultsOf(error)
    }
  }
  watch(label, (typed) => {
    if (!typed && bySpd) return
    bySpd = null
    void tell()
  })
  watch(
    () => part?.(),
    () => void tell(),
  )
  let turn = 0
  async function tell(): Promise<void> {
    const mine = ++turn
    const text = label.value.trim() || part?.().trim() || ''
    if (bySpd) return
    const found = text ? await ask(api.POST('/api/label', { body: { text } })) : null
    if (mine !== turn) return
    kit.value = found?.kit ?? null
    const m = found?.module
    const read = m?.capacity_gib
      ? `${label.value.trim() ? 'Read as' : 'Known as'} ${found?.short}${found?.kit ? `, a kit of ${found.kit}` : ''}${m.part ? `, part ${m.part}` : ''}.`
      : ''
    const left = found?.not_understood.map((p) => `“${p.text}”`).join(', ')
    words.value = [
      read,
      ...[...(found?.contradictions ?? []), ...(found?.remarks ?? [])].map((c) => `${c}.`),
      left ? `Not understood: ${left}.` : '',
    ]
      .filter(Boolean)
      .join(' ')
  }
  return { label, words, kit, module: read, spd }
}
