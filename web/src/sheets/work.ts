/** A sheet on the workbench: the revision that was opened, its draft, what the text comes to; answers and text written into it. */
import { computed, inject, onScopeDispose, provide, ref, shallowRef, type InjectionKey } from 'vue'
import {
  api,
  ask,
  Refusal,
  wordsOf,
  faultsOf,
  type Ask,
  type Board,
  type DraftView,
  type SeenText,
  type Severity,
  type SheetAnswer,
  type SheetPage,
  type SheetQuestion,
  type Tried,
} from '@/api/client'
import { session } from '@/frame/session'

export interface Asks {
  sections: string[]
  asks: Map<string, Ask>
}
let asked: Promise<Asks> | null = null
/** What is asked of every sheet: the same for all, so asked for once. */
export function asksOnce(): Promise<Asks> {
  asked ??= ask(api.GET('/api/sheets/asks')).then(
    (a) => ({ sections: a.sections, asks: new Map(a.asks.map((x) => [x.id, x])) }),
    (error) => {
      asked = null
      throw error
    },
  )
  return asked
}

/** What a touch on the board tells while a question is answered there. */
export interface Touching {
  question: string
  tell: (slot: string) => void
  /** The board as it is answered so far; the draft's own where it is left out. */
  board?: Board | null
  lit: Map<string, Severity | 'plain'>
  /** Numerals on the slots. */
  order: boolean
  words: string
  /** Sets in order, each with how many modules are in by then. */
  steps?: { slots: string[]; total: number }[]
}

/** How often it is asked whether others wrote in the draft, while the page is seen. [ms] */
const NEWS = 3_000

export type AnswerBody = Omit<SheetAnswer, 'version' | 'question'>
interface Step {
  /** The draft's version after it, and the text before it. */
  version: number
  before: string
}

export function useWork(done: (hash: string) => void) {
  const asks = shallowRef<Asks>()
  const page = shallowRef<SheetPage>()
  const draft = shallowRef<DraftView>()
  const seen = shallowRef<SeenText>()
  const tried = shallowRef<Tried>()
  /** The board and the fills of the last text that had any: they stand, dimmed, while the text has errors. */
  const last = shallowRef<SeenText>()
  const wrong = ref('')
  const sending = ref(false)
  const touching = shallowRef<Touching | null>(null)
  const here = ref<string[]>([])
  const undone = shallowRef<Step[]>([])
  const steps = shallowRef<Step[]>([])
  let trial: AbortController | null = null

  const text = computed(() => draft.value?.text ?? page.value?.text ?? '')
  const newest = computed(() => !page.value || page.value.revisions[0]?.hash === page.value.sheet.hash)
  const mayWrite = computed(() => session.mayWrite() && newest.value)
  const changed = computed(() => !!draft.value && draft.value.text !== page.value?.text)
  const errors = computed(() => (seen.value?.said ?? []).filter((s) => s.wrong))
  const questions = computed(() => seen.value?.questions ?? last.value?.questions ?? [])

  function show(found: SeenText): void {
    seen.value = found
    if (found.board) last.value = found
    else last.value ??= found
    void judge()
  }
  function took(view: DraftView): void {
    draft.value = view
    here.value = view.here
    show(view.seen)
  }
  async function load(of: { hash?: string; draft?: string }): Promise<void> {
    wrong.value = ''
    draft.value = page.value = last.value = seen.value = tried.value = undefined
    steps.value = undone.value = []
    try {
      asks.value = await asksOnce()
      if (of.draft)
        return took(await ask(api.GET('/api/drafts/{draft_id}', { params: { path: { draft_id: of.draft } } })))
      page.value = await ask(api.GET('/api/sheets/{hash_}/page', { params: { path: { hash_: of.hash! } } }))
      if (page.value.draft && mayWrite.value)
        took(await ask(api.GET('/api/drafts/{draft_id}', { params: { path: { draft_id: page.value.draft.id } } })))
      else show(await ask(api.POST('/api/sheets/seen', { body: { text: page.value.text } })))
    } catch (error) {
      wrong.value = faultsOf(error)
    }
  }
  /** What the text would change on machines; comes after the rest, for it takes longer. */
  async function judge(): Promise<void> {
    trial?.abort()
    const mine = (trial = new AbortController())
    if (errors.value.length) return void (tried.value = undefined)
    try {
      const found = await ask(api.POST('/api/sheets/tried', { body: { text: text.value }, signal: mine.signal }))
      if (trial === mine) tried.value = found
    } catch (error) {
      if (!mine.signal.aborted && !(error instanceof Refusal)) wrong.value = wordsOf(error)
    }
  }
  /** The draft, begun where there is none. */
  async function begun(): Promise<DraftView> {
    draft.value ??= await ask(api.POST('/api/drafts', { body: { hash: page.value!.sheet.hash } }))
    return draft.value
  }
  /**
   * Does one thing at a time; whether it was done. What goes wrong is told, and nothing is lost. A press waits its turn
   * here: a button that were disabled while typed text is sent would lose presses.
   */
  async function doing(what: () => Promise<unknown>): Promise<boolean> {
    while (sending.value) await new Promise<void>((go) => waiting.push(go))
    sending.value = true
    wrong.value = ''
    try {
      await what()
      return true
    } catch (error) {
      if (error instanceof Refusal && error.status === 409 && error.problem.theirs)
        took(error.problem.theirs as DraftView)
      wrong.value = faultsOf(error)
      return false
    } finally {
      sending.value = false
      waiting.shift()?.()
    }
  }
  const waiting: (() => void)[] = []

  async function change(send: (d: DraftView) => Promise<DraftView>): Promise<void> {
    const d = await begun()
    const now = await send(d)
    if (now.version > d.version) {
      steps.value = [...steps.value, { version: now.version, before: d.text }]
      undone.value = []
    }
    took(now)
  }
  const answer = (question: string, body: AnswerBody): Promise<boolean> =>
    doing(() =>
      change((d) =>
        ask(
          api.POST('/api/drafts/{draft_id}/answers', {
            params: { path: { draft_id: d.id } },
            body: { version: d.version, question, ...body },
          }),
        ),
      ),
    )
  const put = (d: DraftView, version: number, now: string) =>
    ask(api.PUT('/api/drafts/{draft_id}/text', { params: { path: { draft_id: d.id } }, body: { version, text: now } }))
  const write = (now: string): Promise<boolean> => doing(() => change((d) => put(d, d.version, now)))

  /** Takes back what I did last, whatever others wrote meanwhile; or does it again. */
  async function step(from: typeof steps, to: typeof steps): Promise<void> {
    await doing(async () => {
      const back = from.value.at(-1)
      if (!back || !draft.value) return
      const before = draft.value.text
      const now = await put(draft.value, back.version, back.before)
      from.value = from.value.slice(0, -1)
      to.value = [...to.value, { version: now.version, before }]
      took(now)
    })
  }
  const keep = (why: string): Promise<boolean> =>
    doing(async () => {
      const d = draft.value
      if (!d) return // pressed twice
      const kept = await ask(
        api.POST('/api/drafts/{draft_id}/kept', {
          params: { path: { draft_id: d.id } },
          body: { version: d.version, why },
        }),
      )
      done(kept.sheet.hash)
    })
  const leave = (): Promise<boolean> =>
    doing(async () => {
      if (!draft.value) return
      await ask(api.DELETE('/api/drafts/{draft_id}', { params: { path: { draft_id: draft.value.id } } }))
      done(page.value?.sheet.hash ?? '')
    })

  async function news(): Promise<void> {
    const d = draft.value
    if (!d || document.hidden || sending.value) return
    try {
      const told = await ask(api.GET('/api/drafts/{draft_id}/news', { params: { path: { draft_id: d.id } } }))
      here.value = told.here
      if (told.version !== draft.value?.version && !sending.value)
        took(await ask(api.GET('/api/drafts/{draft_id}', { params: { path: { draft_id: d.id } } })))
    } catch {
      // the frame tells that the server is away; a draft that was kept or left by another is told at the next change
    }
  }
  const timer = setInterval(() => void news(), NEWS)
  onScopeDispose(() => {
    clearInterval(timer)
    trial?.abort()
  })

  const work = {
    asks,
    page,
    draft,
    seen,
    last,
    tried,
    text,
    newest,
    mayWrite,
    changed,
    errors,
    questions,
    wrong,
    sending,
    here,
    touching,
    steps,
    undone,
    load,
    answer,
    write,
    keep,
    leave,
    judge,
    doing,
    undo: () => step(steps, undone),
    redo: () => step(undone, steps),
    askOf: (q: SheetQuestion): Ask => asks.value!.asks.get(q.ask)!,
  }
  provide(KEY, work)
  return work
}

export type Work = ReturnType<typeof useWork>
const KEY: InjectionKey<Work> = Symbol('work')
export const work = (): Work => inject(KEY)!

const UNITS: Record<string, string> = {
  gib: 'GB',
  mts: 'MT/s',
  gbit: 'Gbit',
  v: 'V',
  mm: 'mm',
  min: 'min',
  s: 's',
  mib: 'MB',
}
/** One member of a block in few words: its name where the value alone does not tell. */
function member(name: string, value: unknown, depth: number): string {
  if (value && typeof value === 'object' && 'title' in value) return String(value.title)
  const words = name.replaceAll('_', ' ')
  if (typeof value === 'boolean') return value ? words : `not ${words}`
  const unit = UNITS[name.split('_').at(-1)!]
  if (unit && typeof value === 'number') return `${value} ${unit}`
  return ['scope', 'buffering', 'title', 'source'].includes(name)
    ? inWords(value, depth)
    : `${words} ${inWords(value, depth)}`
}
/** An answer in few words. */
export function inWords(value: unknown, depth = 0): string {
  if (value === null || value === undefined) return ''
  if (typeof value === 'boolean') return value ? 'yes' : 'no'
  if (Array.isArray(value)) {
    const flat = value.every((v) => typeof v !== 'object')
    return flat ? value.join(depth ? ' ' : ', ') : value.map((v) => inWords(v, depth + 1)).join('; ')
  }
  if (typeof value === 'object')
    return Object.entries(value)
      .map(([k, v]) => member(k, v, depth + 1))
      .join(', ')
  return String(value)
}

/** The block ("", "repeat", "repeat[0]") that says a question's slots. */
export const blockOf = (key: string): string => /^(repeat(\[\d+\])?)\./.exec(key)?.[1] ?? ''
