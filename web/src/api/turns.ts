/** Loads that take turns. */

/**
 * A load of which one runs at a time: asked for while it runs, it runs once more afterwards, however often it was asked for, and all
 * who asked meanwhile wait for that one. So no older answer comes after a newer one, and a burst of events costs two loads.
 */
export function oneAtATime(load: () => Promise<void>): () => Promise<void> {
  let running: Promise<void> | null = null
  let next: Promise<void> | null = null
  const begin = (): Promise<void> => {
    next = null
    running = load().finally(() => (running = null))
    return running
  }
  return () => {
    if (next) return next
    if (!running) return begin()
    next = running.then(begin, begin)
    return next
  }
}
