/** A run as a page holds it: what the server knows, with what was entered here and is on its way laid over it. */
import { computed, onBeforeUnmount, ref, shallowRef } from 'vue'
import { api, ask, Refusal, Unreachable, wordsOf, type RunStep, type RunView } from '@/api/client'
import { health } from '@/api/health'
import { oneAtATime } from '@/api/turns'
import { session } from '@/frame/session'
import { keep, forget, rememberedRun, rememberRun, send, waitingOf, type Entry, type Waiting } from './queue'

/** How often it is tried again to send what waits. [ms] */
const AGAIN_MS = 4000

/** Steps with what waits laid over them. */
export function stepsWith(view: RunView, waiting: Waiting[], name: string): RunStep[] {
  const steps = new Map(view.steps.map((s) => [s.key, s]))
  for (const { entry, at, refused } of waiting) {
    if (refused || !entry || !('step' in entry) || !entry.step) continue
    const step = steps.get(entry.step)
    if (!step) continue
    if (entry.kind === 'done' && !step.done_at)
      steps.set(step.key, { ...step, done_at: at, done_by: name, not_right: null })
    if (entry.kind === 'undone') steps.set(step.key, { ...step, done_at: null, done_by: null })
    if (entry.kind === 'not-right')
      steps.set(step.key, { ...step, done_at: null, done_by: null, not_right: entry.text ?? '' })
  }
  return view.steps.map((s) => steps.get(s.key)!)
}

/** The step at hand: the first that is open, but for one that waits for proof and holds nothing up. */
export function atHand(steps: RunStep[]): RunStep | null {
  const left = steps.filter((s) => !s.done_at)
  return left.find((s) => !s.proves || s.hold) ?? left[0] ?? null
}

export type Ticking = 'yes' | 'look' | 'proof' | 'second'
/** Whether this account may tick a step, and what is in the way: looking only, a step that proof ticks, a hold point that wants a
 * lead or somebody else than who did the steps before. */
export function ticking(
  view: RunView,
  step: RunStep,
  waiting: Waiting[],
  account: { id: string; role: string } | null,
): Ticking {
  const open = view.state === 'under way' || (['proved', 'waived'].includes(view.state) && step.phase === 'afterwards')
  if (!account || account.role === 'viewer' || !open) return 'look'
  if (step.proves) return 'proof'
  if (step.who !== 'second' || account.role === 'lead') return 'yes'
  return lastOwnTick(view, waiting) === null && view.last_by !== account.id ? 'yes' : 'second'
}

function lastOwnTick(view: RunView, waiting: Waiting[]): string | null {
  const holds = new Set(view.steps.filter((s) => s.hold).map((s) => s.key))
  return waiting.filter((w) => !w.refused && w.entry?.kind === 'done' && !holds.has(w.entry.step)).at(-1)?.at ?? null
}

/** From when on somebody who is alone may go on past a hold: a minute after the last tick. [ms] */
export function aloneFrom(view: RunView, waiting: Waiting[]): number {
  const last = lastOwnTick(view, waiting) ?? view.last_at
  return last ? Date.parse(last) + 60_000 : 0
}

export function useRun(id: () => string) {
  const view = shallowRef<RunView>()
  const waiting = shallowRef<Waiting[]>([])
  const wrong = ref('')
  /** False while the server cannot be reached. */
  const connected = ref(true)
  const mine = computed(() => waiting.value.filter((w) => w.account === session.account?.id))
  const steps = computed(() => (view.value ? stepsWith(view.value, mine.value, session.account?.shown_as ?? '') : []))
  /** Kept here and not with the server yet. */
  const unsent = computed(() => mine.value.filter((w) => !w.refused && !w.sent).length)
  const refused = computed(() => mine.value.filter((w) => w.refused))

  /** Entered on this page and on the way into the browser's database. */
  let storing: Waiting[] = []
  /** One at a time, so that no older answer comes after a newer one. */
  const reload = oneAtATime(load)

  /** What the server knows, with what it could not know yet when it was asked laid over it. */
  async function load(): Promise<void> {
    // Sent before the question below is asked: its answer holds them.
    const confirmed = (await waitingOf(id())).filter((w) => w.sent)
    try {
      const found = await ask(api.GET('/api/runs/{run_id}', { params: { path: { run_id: id() } } }))
      await rememberRun(found)
      for (const w of confirmed) await forget(w.number!)
      view.value = found
      await overlay()
      if (waiting.value.some((w) => w.sent)) void reload()
      connected.value = navigator.onLine
      wrong.value = ''
    } catch (error) {
      await overlay()
      if (error instanceof Unreachable) connected.value = false
      view.value ??= await rememberedRun(id())
      if (!view.value || error instanceof Refusal) wrong.value = wordsOf(error)
    }
  }

  /** What is kept in the browser, and what is just being put there. */
  async function overlay(): Promise<void> {
    const kept = await waitingOf(id())
    const known = new Set(kept.map((w) => w.id))
    waiting.value = [...kept, ...storing.filter((w) => !known.has(w.id))]
  }

  let sending = false
  async function sendAll(): Promise<void> {
    if (sending || !session.account) return
    sending = true
    try {
      const had = waiting.value.length
      connected.value = await send(session.account.id)
      if (connected.value && had) await reload()
      else await overlay()
    } finally {
      sending = false
    }
    // What was entered while the others were on their way.
    if (
      connected.value &&
      (await waitingOf(id())).some((w) => !w.refused && !w.sent && w.account === session.account?.id)
    )
      await sendAll()
  }

  /** Keep an entry here, then send it with whatever waits. */
  async function enter(entry: Entry | null, photo?: { blob: Blob; step: string }): Promise<void> {
    const w: Waiting = {
      id: crypto.randomUUID(),
      run: id(),
      account: session.account!.id,
      at: new Date().toISOString(),
      entry,
    }
    const kept = photo ? { ...w, photo: photo.blob, step: photo.step } : w
    storing.push(kept)
    waiting.value = [...waiting.value, kept]
    await keep(kept)
    await overlay()
    storing = storing.filter((x) => x.id !== kept.id)
    void navigator.serviceWorker?.ready
      .then((r) =>
        (r as unknown as { sync?: { register: (tag: string) => Promise<void> } }).sync?.register('umbrak-entries'),
      )
      .catch(() => undefined)
    await sendAll()
  }

  async function dismiss(w: Waiting): Promise<void> {
    await forget(w.number!)
    await overlay()
  }

  const timer = setInterval(() => {
    if (unsent.value || !connected.value) void sendAll().then(() => (connected.value ? reload() : undefined))
  }, AGAIN_MS)
  const back = () => void sendAll().then(reload)
  window.addEventListener('online', back)
  const gone = () => (connected.value = false)
  window.addEventListener('offline', gone)
  onBeforeUnmount(() => {
    clearInterval(timer)
    window.removeEventListener('online', back)
    window.removeEventListener('offline', gone)
  })
  void reload().then(sendAll)
  return { view, steps, waiting: mine, unsent, refused, wrong, connected, reload, enter, dismiss, health }
}
