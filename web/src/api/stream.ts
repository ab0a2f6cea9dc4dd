/**
 * What others do to machines, as it happens: one stream of events for a browser, however many windows are open.
 *
 * Every visible window says on a channel which machines it looks at. One of them, whoever holds the lock, keeps the stream
 * for all and passes its lines on; when it goes or is hidden, the next one takes over from the last line that was seen. A hidden
 * window wants nothing, so that no stream is open while nobody looks. A window that comes back asks for what it missed.
 */
import type { HistoryLine } from './client'

const NAME = 'umbrak-events'
/** Before a stream that the server refused is tried again. [ms] */
const AGAIN_MS = 5000

type Told = (line: HistoryLine) => void
type Message =
  | { kind: 'wants'; window: string; machines: string[]; after: number }
  | { kind: 'who' }
  | { kind: 'line'; line: HistoryLine }
  | { kind: 'at'; id: number }

/** The machines that any window looks at, and the last line that all of them have seen (0: a new one has seen none, and misses none). */
export function union(wants: Iterable<{ machines: readonly string[]; after: number }>): {
  machines: string[]
  after: number
} {
  const machines = new Set<string>()
  let after = Infinity
  for (const want of wants) {
    if (!want.machines.length) continue
    for (const machine of want.machines) machines.add(machine)
    if (want.after) after = Math.min(after, want.after)
  }
  return { machines: [...machines].sort(), after: Number.isFinite(after) ? after : 0 }
}

const here = crypto.randomUUID?.() ?? String(Math.random())
/** Machine -> who wants its lines in this window. */
const followers = new Map<string, Set<Told>>()
/** The last line that this window has seen. */
let seen = 0
const visible = () => document.visibilityState === 'visible'
const mine = () => ({ machines: visible() ? [...followers.keys()] : [], after: seen })

// Without locks (a page that is not from a secure place has none) each window keeps a stream of its own.
const shared = 'BroadcastChannel' in globalThis && 'locks' in navigator
const channel = shared ? new BroadcastChannel(NAME) : null
/** Window -> what it wants; only whoever keeps the stream looks at it. */
const wants = new Map<string, { machines: string[]; after: number }>()
let source: EventSource | null = null
let open = ''
let again: ReturnType<typeof setTimeout> | undefined
/** Lets go of the lock, or of waiting for it. */
let letGo: (() => void) | null = null
let keeping = !shared

function tell(line: HistoryLine): void {
  seen = Math.max(seen, line.id)
  for (const told of followers.get(line.machine_id ?? '') ?? []) told(line)
}

function post(message: Message): void {
  channel?.postMessage(message)
}

/** Open, close or change the stream to what is wanted now. */
function keep(): void {
  if (!keeping) return
  wants.set(here, mine())
  const { machines, after } = union(wants.values())
  const wanted = machines.join()
  if (wanted === open && source?.readyState !== EventSource.CLOSED) return
  source?.close()
  clearTimeout(again)
  source = null
  open = wanted
  if (!machines.length) return
  const query = new URLSearchParams(machines.map((m) => ['machine', m]))
  if (after) query.set('after', String(after))
  const mineNow = (source = new EventSource(`/api/events?${query}`))
  // Where the stream begins: what is written from here on is told, also if it breaks before the first line.
  source.addEventListener('at', (event) => {
    const id = Number((event as MessageEvent<string>).lastEventId)
    for (const want of wants.values()) want.after ||= id
    seen ||= id
    post({ kind: 'at', id })
  })
  source.addEventListener('line', (event) => {
    const line = JSON.parse((event as MessageEvent<string>).data) as HistoryLine
    for (const want of wants.values()) want.after = Math.max(want.after, line.id)
    post({ kind: 'line', line })
    tell(line)
  })
  // A lost connection comes back by itself; a refusal (signed out, server starting) does not.
  source.addEventListener('error', () => {
    if (mineNow === source && mineNow.readyState === EventSource.CLOSED) again = setTimeout(keep, AGAIN_MS)
  })
}

function stopKeeping(): void {
  keeping = !shared
  source?.close()
  source = null
  open = ''
  clearTimeout(again)
  wants.clear()
}

/** Wait for the lock while this window is seen and wants something; keep the stream once it is had. */
function queue(): void {
  if (!shared || letGo) return
  const giveUp = new AbortController()
  let release = () => {}
  letGo = () => {
    giveUp.abort()
    release()
    letGo = null
  }
  navigator.locks
    .request(NAME, { signal: giveUp.signal }, () => {
      if (giveUp.signal.aborted) return
      keeping = true
      post({ kind: 'who' })
      keep()
      return new Promise<void>((done) => (release = done)).then(stopKeeping)
    })
    .catch(() => {}) // given up
}

function changed(): void {
  const { machines } = mine()
  post({ kind: 'wants', window: here, ...mine() })
  if (machines.length) queue()
  if (keeping) keep()
  if (!machines.length) letGo?.()
}

channel?.addEventListener('message', ({ data }: MessageEvent<Message>) => {
  if (data.kind === 'line') tell(data.line)
  else if (data.kind === 'at') seen ||= data.id
  else if (data.kind === 'who') post({ kind: 'wants', window: here, ...mine() })
  else if (keeping) {
    if (data.machines.length) wants.set(data.window, { machines: data.machines, after: data.after })
    else wants.delete(data.window)
    keep()
  }
})
if (typeof document !== 'undefined') {
  document.addEventListener('visibilitychange', changed)
  addEventListener('pagehide', () => {
    post({ kind: 'wants', window: here, machines: [], after: seen })
    letGo?.()
  })
  addEventListener('pageshow', (event) => {
    if ((event as PageTransitionEvent).persisted) changed()
  })
}

/** Be told each line of a machine from now on. Returns what ends it. */
export function follow(machine: string, told: Told): () => void {
  if (!followers.has(machine)) followers.set(machine, new Set())
  followers.get(machine)!.add(told)
  changed()
  return () => {
    const left = followers.get(machine)
    left?.delete(told)
    if (!left?.size) followers.delete(machine)
    changed()
  }
}
