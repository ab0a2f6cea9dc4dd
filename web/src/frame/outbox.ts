/** What was said at a rack without a connection: kept in the browser's own database, sent in order when the server answers again.
 *
 * Sending twice does no harm: a new machine carries its id, and what is in a slot already is no change. Where somebody said
 * something else meanwhile, nothing is overwritten: the entry stays, with what stands against it, until somebody decides.
 */
import { openDB, type DBSchema, type IDBPDatabase } from 'idb'
import { computed, ref, shallowRef, watch } from 'vue'
import { health } from '@/api/health'
import { send as sendTicks } from '@/bench/queue'
import { session } from './session'

export interface Unsent {
  /** Order of entering. */
  number?: number
  account: string
  at: string
  method: 'POST' | 'PUT'
  path: string
  body: Record<string, unknown>
  /** What it is, for people: "A1 of gauge-01: 8 GB ...". */
  words: string
  machine?: string
  /** Slots or bays that it is about -> what was known of each when it was said. */
  seen?: Record<string, unknown>
  /** To go on with where it was refused: what a form had. */
  draft?: string
  /** Why the server did not take it. */
  refused?: string
}

interface Kept extends DBSchema {
  unsent: { key: number; value: Unsent }
}

let opened: Promise<IDBPDatabase<Kept>> | null = null
function database(): Promise<IDBPDatabase<Kept>> {
  opened ??= openDB<Kept>('umbrak-unsent', 1, {
    upgrade: (db) => void db.createObjectStore('unsent', { keyPath: 'number', autoIncrement: true }),
  })
  return opened
}

const all = shallowRef<Unsent[]>([])
/** Of who is signed in. */
export const unsent = computed(() => all.value.filter((u) => u.account === session.account?.id))
/** Counts what was sent from here: a page that shows a machine looks again. */
export const sentCount = ref(0)

async function look(): Promise<void> {
  all.value = await (await database()).getAll('unsent')
}

export async function keepUnsent(entry: Omit<Unsent, 'account' | 'at'>): Promise<void> {
  // A page's reactive values cannot be cloned into the database.
  const plain = JSON.parse(JSON.stringify(entry)) as typeof entry
  await (await database()).add('unsent', { ...plain, account: session.account?.id ?? '', at: new Date().toISOString() })
  await look()
}
export async function forgetUnsent(number: number): Promise<void> {
  await (await database()).delete('unsent', number)
  await look()
}

interface Problem {
  detail?: string
  errors?: { message: string }[]
  theirs?: {
    survey?: { revision: number }
    slots?: Record<string, unknown>
    bays?: { number: number; known: boolean; drive: unknown }[]
  }
}

/** The same said over a newer survey, where what it is about is as it was when it was said; null where it is not. */
function overNewer(u: Unsent, theirs: Problem['theirs']): Record<string, unknown> | null {
  if (!u.seen || !theirs?.survey) return null
  const now: Record<string, unknown> = u.path.endsWith('/bays')
    ? Object.fromEntries((theirs.bays ?? []).map((b) => [String(b.number), b.known ? b.drive : 'unknown']))
    : (theirs.slots ?? {})
  const same = Object.entries(u.seen).every(
    ([key, before]) => JSON.stringify(now[key] ?? null) === JSON.stringify(before ?? null),
  )
  return same ? { ...u.body, revision: theirs.survey.revision } : null
}

/** Send what waits, in order, until all is sent or the connection drops; one tab at a time. */
export async function sendUnsent(): Promise<void> {
  await navigator.locks.request('umbrak-unsent', async () => {
    const db = await database()
    for (const u of await db.getAll('unsent')) {
      if (u.refused || u.account !== session.account?.id) continue
      let body = u.body
      for (let tries = 0; tries < 3; tries++) {
        let answer: Response
        try {
          answer = await fetch(u.path, {
            method: u.method,
            body: JSON.stringify(body),
            headers: { 'Content-Type': 'application/json' },
          })
        } catch {
          return
        }
        if (answer.ok) {
          await db.delete('unsent', u.number!)
          sentCount.value += 1
          break
        }
        if (answer.status === 401 || answer.status === 429 || answer.status >= 500) return // signed out, or not itself: it is kept
        const problem = (await answer.json().catch(() => ({}))) as Problem
        const again = answer.status === 409 ? overNewer(u, problem.theirs) : null
        if (again && tries < 2) {
          body = again
          continue
        }
        const told = problem.errors?.map((e) => e.message).join(' ')
        await db.put('unsent', { ...u, refused: told || problem.detail || `The server said ${answer.status}.` })
        break
      }
    }
  })
  await look()
}

/** From the start of the page on: whenever somebody signs in or the server is back. What was ticked at the bench goes too: who
 * left it just after a tick may open any other page next. */
export function watchUnsent(): void {
  watch(
    [() => session.account?.id, () => health.recoveries, () => health.trouble],
    ([account, , trouble]) => {
      void (account && !trouble ? sendUnsent() : look()).catch(() => undefined)
      if (account && !trouble) void sendTicks(account).catch(() => undefined)
    },
    { immediate: true },
  )
}
