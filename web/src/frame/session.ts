/** Who is signed in. */
import { reactive } from 'vue'
import { api, ask, Refusal, type Account } from '@/api/client'

export const session = reactive({
  account: null as Account | null,
  /** Whether the account is known yet: false only until the first answer. */
  asked: false,

  async load(): Promise<void> {
    try {
      session.account = await ask(api.GET('/api/session'))
    } catch (error) {
      if (!(error instanceof Refusal)) throw error
      session.account = null
    }
    session.asked = true
  },

  /** @param code  of an authenticator, where one is asked for */
  async signIn(name: string, password: string, code: string | null): Promise<void> {
    session.account = await ask(api.POST('/api/session', { body: { name, password, code } }))
  },

  async signOut(): Promise<void> {
    await ask(api.DELETE('/api/session'))
    session.account = null
    // What the bench kept of machines is not for whoever comes next.
    if ('caches' in globalThis) await caches.delete('umbrak-data-1')
  },

  mayWrite(): boolean {
    return session.account !== null && session.account.role !== 'viewer'
  },
})
