/** The service worker: the bench opens without a connection, and what was ticked meanwhile is sent when it is back, even
 * when no page is open any more. Everything else goes to the network untouched. */
/// <reference lib="webworker" />
import { send, waitingAccounts } from './queue'

declare const self: ServiceWorkerGlobalScope

const SHELL = 'umbrak-shell-1'
const DATA = 'umbrak-data-1'
/** Answers that the bench needs when there is no connection. Not the run itself: an old answer must not pass for a new one,
 * and the page keeps the last one it saw. */
const KEPT = /^\/api\/(session$|machines\/[^/]+$)/

self.addEventListener('install', (event) => event.waitUntil(self.skipWaiting()))
self.addEventListener('activate', (event) => {
  event.waitUntil(
    (async () => {
      for (const name of await caches.keys())
        if (name.startsWith('umbrak-') && name !== SHELL && name !== DATA) await caches.delete(name)
      await self.clients.claim()
    })(),
  )
})

/** The network's answer, kept for later; the kept one when there is none. */
async function networkFirst(request: Request, cache: string, key: Request | string = request): Promise<Response> {
  const store = await caches.open(cache)
  try {
    const answer = await fetch(request)
    if (answer.ok) await store.put(key, answer.clone())
    return answer
  } catch (error) {
    const kept = await store.match(key)
    if (kept) return kept
    throw error
  }
}

/** Assets carry their hash in the name: what is kept is right for good. */
async function cacheFirst(request: Request): Promise<Response> {
  const store = await caches.open(SHELL)
  const kept = await store.match(request)
  if (kept) return kept
  const answer = await fetch(request)
  if (answer.ok) await store.put(request, answer.clone())
  return answer
}

self.addEventListener('fetch', (event) => {
  const { request } = event
  const url = new URL(request.url)
  if (request.method !== 'GET' || url.origin !== self.location.origin) return
  if (url.pathname.startsWith('/assets/')) event.respondWith(cacheFirst(request))
  else if (request.mode === 'navigate' && !url.pathname.startsWith('/api/'))
    event.respondWith(networkFirst(request, SHELL, '/'))
  else if (KEPT.test(url.pathname)) event.respondWith(networkFirst(request, DATA))
})

/** Background Sync, where the browser has it: the connection is back. */
self.addEventListener('sync', ((event: Event & { tag: string; waitUntil: (work: Promise<unknown>) => void }) => {
  if (event.tag !== 'umbrak-entries') return
  event.waitUntil(
    (async () => {
      const answer = await fetch('/api/session')
      if (!answer.ok) return
      const { id } = (await answer.json()) as { id: string }
      if ((await waitingAccounts()).includes(id) && !(await send(id))) throw new Error('the connection dropped again')
    })(),
  )
}) as EventListener)
