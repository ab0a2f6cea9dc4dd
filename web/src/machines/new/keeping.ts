/** Keeping a machine of what was said: with its board, or before its model is known; or its sheet alone. */
import { computed, reactive, ref, type Ref } from 'vue'
import { api, ask, Refusal, Unreachable, wordsOf } from '@/api/client'
import { keepUnsent } from '@/frame/outbox'
import { aboutAsSent } from '../about'
import type { useBoardSeen } from './boardSeen'
import type { Said } from './said'

/**
 * `wrong`: what stands in the way as a whole. `forget`: what was said is kept now. `kept`: the machine's id, null where it waits
 * for a sheet of its model.
 */
export function useKeeping(
  said: Said,
  seen: ReturnType<typeof useBoardSeen>,
  wrong: Ref<string>,
  forget: () => void,
  kept: (id: string | null) => void,
) {
  /** By field, of what the server refused. */
  const faults = reactive<Record<string, string>>({})
  const sending = ref(false)
  /** It was kept in this browser, to be sent later. */
  const waits = ref(false)
  function forgetFaults(): void {
    wrong.value = ''
    for (const key of Object.keys(faults)) delete faults[key]
  }

  const lacking = computed(() => {
    const needs = said.sheet
      ? []
      : !said.begun
        ? ['its model, or its board']
        : [
            !said.answers.model.trim() && 'make and model',
            !said.answers.generation && 'its generation',
            !said.answers.form && 'DIMM or SO-DIMM',
          ].filter((x): x is string => !!x)
    return [...(said.name.trim() ? [] : ['a name']), ...needs]
  })
  /** Faults of answers that were given, by field; what was not answered yet is `lacking`, and no fault. */
  const odd = computed<Record<string, string>>(() => {
    const a = said.answers
    if (seen.judged.value !== JSON.stringify(a)) return {} // what was said since is not judged yet
    const unanswered = new Set([
      ...(a.generation ? [] : ['generation']),
      ...(a.form ? [] : ['form']),
      ...(a.model.trim() ? [] : ['model']),
    ])
    return Object.fromEntries(
      (seen.built.value?.faults ?? []).filter((f) => !unanswered.has(f.path)).map((f) => [f.path, f.message]),
    )
  })
  /** What is known of it without its board. */
  function identity() {
    return {
      id: said.id,
      name: said.name,
      site: said.site || null,
      intake_id: said.intake?.id ?? null,
      zone: Intl.DateTimeFormat().resolvedOptions().timeZone,
      ...aboutAsSent(said.about),
    }
  }
  function body() {
    return {
      ...identity(),
      waiting_id: said.waiting_id,
      sheet_hash: said.sheet || null,
      board: said.sheet ? null : said.answers,
      slots: seen.placed(),
      fitted: seen.bySlot(said.fitted) as never,
      processors: Object.fromEntries(
        seen.sockets.value.flatMap(({ id, processors }): [string, string | null][] => {
          const p = said.processors[id]
          return p === '-' ? [[id, null]] : processors.some((x) => x.id === p) ? [[id, p!]] : []
        }),
      ),
      bays: said.bays,
    }
  }
  /** What the server refused, each fault at its field. */
  function told(error: unknown): void {
    const all = error instanceof Refusal ? (error.problem.errors ?? []) : []
    for (const { field, message } of all) faults[field.replace(/^board\./, '')] ??= message
    if (!all.length) wrong.value = wordsOf(error)
  }
  /** One at a time; what the server refuses is said. */
  async function trying<T>(what: () => Promise<T>): Promise<T | undefined> {
    forgetFaults()
    sending.value = true
    try {
      return await what()
    } catch (error) {
      told(error)
      return undefined
    } finally {
      sending.value = false
    }
  }
  /** Where the server cannot be reached it is kept in this browser, and sent later. */
  async function sendOrHold(
    path: string,
    body: Record<string, unknown>,
    send: () => Promise<string | null>,
  ): Promise<void> {
    try {
      const made = await send()
      forget()
      kept(made)
    } catch (error) {
      if (!(error instanceof Unreachable)) throw error
      const [words, draft] = [`the new machine ${said.name}`, JSON.stringify(said)]
      await keepUnsent({ method: 'POST', path, body, words, draft })
      forget()
      waits.value = true
    }
  }
  async function keep(): Promise<void> {
    if (sending.value || lacking.value.length) return
    await trying(async () => {
      if (!(await seen.seen())) return
      const it = body()
      await sendOrHold('/api/machines', it, async () => (await ask(api.POST('/api/machines', { body: it }))).id)
    })
  }
  /** Kept without a board: it waits for a sheet of its model. */
  async function wait(): Promise<void> {
    if (sending.value || !said.name.trim()) return
    const { kind, make, model } = said.answers
    const it = { ...identity(), kind, make, model }
    await trying(() =>
      sendOrHold('/api/waiting', it, async () => {
        await ask(api.POST('/api/waiting', { body: it }))
        return null
      }),
    )
  }
  /** A draft of the sheet of what was answered, without any machine; its id, null where it was refused. */
  async function onlySheet(): Promise<string | null> {
    const made = await trying(async () => {
      if (!(await seen.seen())) return null
      const fitted = seen.bySlot(said.fitted) as never
      const board = { answers: said.answers, fitted, intake_id: said.intake?.id ?? null }
      const { id } = await ask(api.POST('/api/drafts', { body: { board } }))
      forget()
      return id
    })
    return made ?? null
  }
  return { faults, forgetFaults, sending, waits, lacking, odd, keep, wait, onlySheet }
}
