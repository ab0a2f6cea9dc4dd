<script setup lang="ts">
/** Where one is signed in, and the tokens of one's scripts. */
import { onMounted, ref, shallowRef } from 'vue'
import { api, ask, wordsOf, type SessionView, type TokenRow } from '@/api/client'
import { session } from '@/frame/session'
import FieldFault from '@/ui/FieldFault.vue'
import { amountIn, useForm } from '@/ui/form'
import { usePart } from '@/ui/together'
import { age } from '@/ui/words'

type Role = 'viewer' | 'technician' | 'lead'
const known = usePart()
const sessions = shallowRef<SessionView[]>([])
const tokens = shallowRef<TokenRow[]>([])
const wrong = ref('')
/** Shown once: only its hash is kept. */
const fresh = ref('')

async function load(): Promise<void> {
  ;[sessions.value, tokens.value] = await Promise.all([ask(api.GET('/api/sessions')), ask(api.GET('/api/tokens'))])
}
async function run(work: () => Promise<unknown>): Promise<void> {
  wrong.value = ''
  try {
    await work()
    await load()
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
onMounted(() => run(async () => undefined).finally(known))

const roles: Role[] = (['viewer', 'technician', 'lead'] as const).slice(
  0,
  1 + ['viewer', 'technician', 'lead'].indexOf(session.account?.role ?? 'viewer'),
)
const {
  values,
  faults,
  wrong: notMade,
  sending,
  submit,
  clear,
} = useForm({ name: '', role: 'viewer' as Role, days: 90 }, async (f) => {
  const made = await ask(
    api.POST('/api/tokens', { body: { name: f.name, role: f.role, days: amountIn('days', f.days) } }),
  )
  fresh.value = made.token
  clear()
  await load()
})
const ended = (t: TokenRow) => new Date(t.expires_at) < new Date()
</script>

<template>
  <section class="panel" aria-labelledby="sessions-title">
    <h2 id="sessions-title">Where you are signed in</h2>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <ul class="lines">
      <li v-for="s in sessions" :key="s.id">
        <span
          ><template v-if="s.address"
            >from <b class="mono">{{ s.address }}</b>, </template
          >used {{ age(s.used_at) }}, since {{ age(s.created_at)
          }}<span class="faded small agent">{{ s.agent || 'a browser that does not say which' }}</span></span
        >
        <b v-if="s.is_this" class="faded">this one</b>
        <button
          v-else
          type="button"
          class="quiet-link"
          @click="run(() => ask(api.DELETE('/api/sessions/{session_id}', { params: { path: { session_id: s.id } } })))">
          End it
        </button>
      </li>
    </ul>
    <button
      v-if="sessions.length > 1"
      type="button"
      class="press slim"
      @click="run(() => ask(api.DELETE('/api/sessions')))">
      Sign out everywhere else
    </button>
    <p class="faded small">One that nobody used for three days ends by itself.</p>
  </section>
  <section class="panel" aria-labelledby="tokens-title">
    <h2 id="tokens-title">Tokens for scripts</h2>
    <p v-if="fresh" class="fresh" role="status">
      <b>Copy it now, it is shown this once:</b> <code>{{ fresh }}</code>{{ ' ' }}
      <button type="button" class="quiet-link" @click="fresh = ''">Seen</button>
    </p>
    <ul class="lines">
      <li v-for="t in tokens" :key="t.id">
        <span
          ><b>{{ t.name }}</b
          >, {{ t.role }},
          <span :class="{ wrong: ended(t) }">{{ ended(t) ? 'ended' : 'ends' }} {{ t.expires_at.slice(0, 10) }}</span
          >, {{ t.used_at ? `used ${age(t.used_at)}` : 'never used' }}</span
        >
        <button
          type="button"
          class="quiet-link"
          @click="run(() => ask(api.DELETE('/api/tokens/{token_id}', { params: { path: { token_id: t.id } } })))">
          End it
        </button>
      </li>
      <li v-if="!tokens.length" class="faded">
        <span>None. A script says <code>Authorization: Bearer</code> and its token; docs/api.md has recipes.</span>
      </li>
    </ul>
    <form class="made" @submit.prevent="submit">
      <label
        >What it is for <input v-model="values.name" maxlength="120" required /><FieldFault :of="faults" name="name"
      /></label>
      <label
        >It may
        <select v-model="values.role">
          <option v-for="r in roles" :key="r" :value="r">
            {{ r === 'viewer' ? 'look' : r === 'technician' ? 'plan and change' : 'what a lead may' }}
          </option>
        </select></label
      >
      <label
        >Ends after so many days <input v-model="values.days" inputmode="numeric" class="days" /><FieldFault
          :of="faults"
          name="days"
      /></label>
      <button type="submit" class="press slim" :disabled="sending">Make a token</button>
      <p v-if="notMade" class="wrong" role="alert">{{ notMade }}</p>
    </form>
  </section>
</template>

<style scoped src="./panels.css"></style>
<style scoped>
.agent {
  display: block;
  overflow-wrap: anywhere;
}
</style>
