/** What was entered at the bench and is not with the server yet: kept in the browser's own database under ids made here, and
 * sent in order. Sending twice does no harm: the server keeps an id once. Used by pages and by the service worker alike. */
import { openDB, type DBSchema, type IDBPDatabase } from 'idb'
import type { components } from '@/api/schema'

type Schemas = components['schemas']
export type Entry = Schemas['RunEntry']['entry']

export interface Waiting {
  /** Order of entering. */
  number?: number
  id: string
  run: string
  /** Who entered it: another person's session does not send it. */
  account: string
  at: string
  entry: Entry | null
  /** A photo instead of an entry, with its step. */
  photo?: Blob
  step?: string
  /** Why the server did not take it; it is kept until somebody has read that. */
  refused?: string
  /** The server has it; it stays here until an answer that was asked for afterwards shows it, so that it never vanishes from sight. */
  sent?: boolean
}

interface Kept extends DBSchema {
  entries: { key: number; value: Waiting; indexes: { run: string } }
  runs: { key: string; value: { id: string; view: Schemas['RunView'] } }
}

/** After so long what was sent is forgotten here, seen or not. */
const FORGET_MS = 30 * 86_400_000

let opened: Promise<IDBPDatabase<Kept>> | null = null
function database(): Promise<IDBPDatabase<Kept>> {
  opened ??= openDB<Kept>('umbrak', 1, {
    upgrade(db) {
      db.createObjectStore('entries', { keyPath: 'number', autoIncrement: true }).createIndex('run', 'run')
      db.createObjectStore('runs', { keyPath: 'id' })
    },
  })
  return opened
}

export async function keep(waiting: Waiting): Promise<void> {
  await (await database()).add('entries', waiting)
}

export async function waitingOf(run: string): Promise<Waiting[]> {
  return (await database()).getAllFromIndex('entries', 'run', run)
}

export async function forget(number: number): Promise<void> {
  await (await database()).delete('entries', number)
}

/** The run as it was seen last, for a page that is opened without a connection. */
export async function rememberRun(view: Schemas['RunView']): Promise<void> {
  await (await database()).put('runs', { id: view.id, view })
}
export async function rememberedRun(id: string): Promise<Schemas['RunView'] | undefined> {
  return (await (await database()).get('runs', id))?.view
}

async function put(w: Waiting): Promise<Response> {
  if (w.photo) {
    const form = new FormData()
    form.set('file', w.photo, 'photo')
    form.set('at', w.at)
    if (w.step) form.set('step', w.step)
    return fetch(`/api/runs/${w.run}/photos/${w.id}`, { method: 'PUT', body: form })
  }
  const body = JSON.stringify({ at: w.at, entry: w.entry })
  // It goes on where its page is left meanwhile.
  return fetch(`/api/runs/${w.run}/entries/${w.id}`, {
    method: 'PUT',
    body,
    keepalive: body.length < 30_000,
    headers: { 'Content-Type': 'application/json' },
  })
}

/** Send what waits, in order, until all is sent or the connection drops. True when nothing waits any more.
 * One at a time over all tabs and the worker. */
export async function send(account: string): Promise<boolean> {
  return navigator.locks.request('umbrak-entries', async () => {
    const db = await database()
    for (const w of await db.getAll('entries')) {
      // Sent, and its run never opened here again.
      if (w.sent && Date.now() - Date.parse(w.at) > FORGET_MS) await db.delete('entries', w.number!)
      if (w.refused || w.sent || w.account !== account) continue
      let answer: Response
      try {
        answer = await put(w)
      } catch {
        return false
      }
      if (answer.ok) {
        await db.put('entries', { ...w, sent: true, photo: undefined })
      } else if (answer.status === 401 || answer.status === 429 || answer.status >= 500) {
        return false // signed out, or the server is not itself: it is kept
      } else {
        const problem = (await answer.json().catch(() => null)) as { detail?: string } | null
        await db.put('entries', { ...w, refused: problem?.detail ?? `The server said ${answer.status}.` })
      }
    }
    return true
  })
}

/** Whose entries wait. */
export async function waitingAccounts(): Promise<string[]> {
  const all = await (await database()).getAll('entries')
  return [...new Set(all.filter((w) => !w.refused && !w.sent).map((w) => w.account))]
}
