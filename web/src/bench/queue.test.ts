import 'fake-indexeddb/auto'
import { afterEach, beforeEach, describe, expect, it, vi } from 'vitest'
import { forget, keep, send, waitingAccounts, waitingOf, type Waiting } from './queue'

let sent: string[]
/** What the server answers next: a status, or nothing where it is away. */
let answers: (number | null)[]
beforeEach(() => {
  sent = []
  answers = []
  vi.stubGlobal('navigator', { locks: { request: (_: string, work: () => unknown) => work() } })
  vi.stubGlobal('fetch', async (path: string) => {
    const answer = answers.length ? answers.shift()! : 204
    if (answer === null) throw new TypeError('no connection')
    sent.push(path.split('/').at(-1)!)
    return new Response(answer === 204 ? null : JSON.stringify({ detail: `because ${answer}` }), { status: answer })
  })
})
afterEach(async () => {
  for (const w of await waitingOf('r')) await forget(w.number!)
  vi.unstubAllGlobals()
})

const tick = (id: string, more: Partial<Waiting> = {}): Waiting => ({
  id,
  run: 'r',
  account: 'me',
  at: new Date().toISOString(),
  entry: { kind: 'done', step: id },
  ...more,
})
const states = async () =>
  Object.fromEntries((await waitingOf('r')).map((w) => [w.id, w.refused ?? (w.sent ? 'sent' : 'waits')]))

describe('what was entered at the bench', () => {
  it('goes out in order, and stays in sight as sent', async () => {
    for (const id of ['a', 'b', 'c']) await keep(tick(id))
    expect(await send('me')).toBe(true)
    expect(sent).toEqual(['a', 'b', 'c'])
    expect(await states()).toEqual({ a: 'sent', b: 'sent', c: 'sent' })
    expect(await send('me')).toBe(true)
    expect(sent).toHaveLength(3)
  })

  it.each([[null], [401], [429], [500], [503]])(
    'waits where the server answers %s, with all after it',
    async (answer) => {
      for (const id of ['a', 'b', 'c']) await keep(tick(id))
      answers = [204, answer]
      expect(await send('me')).toBe(false)
      expect(await states()).toEqual({ a: 'sent', b: 'waits', c: 'waits' })
      expect(await send('me')).toBe(true)
      expect(sent.filter((id) => id === 'a')).toHaveLength(1)
      expect(await states()).toEqual({ a: 'sent', b: 'sent', c: 'sent' })
    },
  )

  it('that is refused is kept with the reason, and does not hold up the rest', async () => {
    for (const id of ['a', 'b']) await keep(tick(id))
    answers = [422]
    expect(await send('me')).toBe(true)
    expect(await states()).toEqual({ a: 'because 422', b: 'sent' })
    expect(await send('me')).toBe(true)
    expect(sent).toEqual(['a', 'b'])
  })

  it('of another person is not sent by this session', async () => {
    await keep(tick('a', { account: 'you' }))
    await keep(tick('b'))
    expect(await waitingAccounts()).toEqual(['you', 'me'])
    expect(await send('me')).toBe(true)
    expect(await states()).toEqual({ a: 'waits', b: 'sent' })
  })

  it('is forgotten a month after it was sent, never before', async () => {
    const long = new Date(Date.now() - 31 * 86_400_000).toISOString()
    await keep(tick('old', { at: long, sent: true }))
    await keep(tick('waits', { at: long, account: 'you' }))
    await send('me')
    expect(await states()).toEqual({ waits: 'waits' })
  })
})
