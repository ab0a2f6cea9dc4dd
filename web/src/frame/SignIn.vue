<script setup lang="ts">
import { computed, nextTick, onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, Refusal } from '@/api/client'
import { useForm } from '@/ui/form'
import { useTitle } from '@/ui/title'
import { session } from './session'

useTitle(() => 'Sign in')
const route = useRoute()
const router = useRouter()
const first = ref<HTMLInputElement>()

// Not by `autofocus`: that comes late, and would take the focus from somebody who types already.
onMounted(() => first.value?.focus())

/** The directory's name, where one signs in by it. */
const directory = ref('')
onMounted(async () => {
  // Where that cannot be had, one signs in by password.
  directory.value = await ask(api.GET('/api/session/ways')).then(
    (w) => w.directory ?? '',
    () => '',
  )
})
const to = () => (typeof route.query.to === 'string' ? route.query.to : '/desk')
/** Why the directory let nobody in, by the server's code. */
const TROUBLES: Record<string, string> = {
  away: 'cannot be asked just now. Try again, or sign in by password.',
  'not-so': 'gave an answer that does not hold. Begin anew; if it happens again, the server’s log says why.',
  'no-role': 'knows you, but none of your groups has a role here: ask whoever looks after it.',
  'name-taken': 'knows you by a name that somebody has here already. A lead can say in People that it is you.',
  'kept-out': 'knows you, but your account here is kept out: ask a lead.',
}
const trouble = computed(() => TROUBLES[String(route.query.trouble ?? '')] ?? '')

/** Name and password were right, and the account has an authenticator. */
const coded = ref(false)
const codeField = ref<HTMLInputElement>()

const {
  values: form,
  wrong,
  sending,
  submit: enter,
} = useForm({ name: '', password: '', code: '' }, async (f) => {
  try {
    await session.signIn(f.name, f.password, coded.value ? f.code : null)
  } catch (error) {
    if (!(error instanceof Refusal) || !error.problem.type.endsWith('second-factor')) throw error
    coded.value = true
    await nextTick()
    codeField.value?.focus()
    return
  }
  await router.push(to())
})
</script>

<template>
  <div class="door">
    <form class="module fields" @submit.prevent="enter">
      <h1>Umbrak</h1>
      <p class="faded">Memory upgrades, planned and proved.</p>
      <label
        >Name
        <input ref="first" v-model="form.name" autocomplete="username" autocapitalize="none" required maxlength="200"
      /></label>
      <label
        >Password
        <input v-model="form.password" type="password" autocomplete="current-password" required maxlength="1000"
      /></label>
      <label v-if="coded"
        >Code of your authenticator
        <input
          ref="codeField"
          v-model="form.code"
          autocomplete="one-time-code"
          autocapitalize="characters"
          required
          maxlength="40"
          aria-describedby="code-lost" /><small id="code-lost" class="faded"
          >Lost it? One of your recovery codes does as well; a lead can take it away.</small
        ></label
      >
      <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
      <button
        class="press wide"
        type="submit"
        :disabled="sending || !form.name || !form.password || (coded && !form.code)">
        Sign in
      </button>
      <template v-if="directory">
        <p v-if="trouble" class="wrong" role="alert">{{ directory }} {{ trouble }}</p>
        <a class="press quiet wide" :href="`/api/session/directory?to=${encodeURIComponent(to())}`"
          >Sign in by {{ directory }}</a
        >
      </template>
      <span class="contacts" aria-hidden="true"></span>
    </form>
  </div>
</template>

<style scoped>
.door {
  min-height: 100vh;
  display: grid;
  place-items: center;
  padding: 16px;
}
/* A module, planned: it floats over its slot. */
.module {
  position: relative;
  display: grid;
  gap: 14px;
  width: min(400px, 100%);
  padding: 30px 34px 46px;
  background: var(--sheet);
  border: 1.5px solid var(--ink);
  box-shadow: 8px 8px 18px var(--shadow);
}
.contacts {
  position: absolute;
  inset: auto 14px 0;
  height: 13px;
  background: repeating-linear-gradient(to right, var(--brass) 0 6px, transparent 6px 10px);
}
/* The notch, off the middle. */
.contacts::after {
  content: '';
  position: absolute;
  left: 58%;
  bottom: -2px;
  width: 20px;
  height: 18px;
  border: 1.5px solid var(--ink);
  border-bottom: 0;
  border-radius: 10px 10px 0 0;
  background: var(--paper);
}
p {
  margin: -8px 0 4px;
}
.wrong {
  margin: 0;
}
</style>
