<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useForm } from '@/ui/form'
import { useTitle } from '@/ui/title'
import { session } from './session'

useTitle(() => 'Sign in')
const route = useRoute()
const router = useRouter()
const first = ref<HTMLInputElement>()

// Not by `autofocus`: that comes late, and would take the focus from somebody who types already.
onMounted(() => first.value?.focus())

const { values: form, wrong, sending, submit: enter } = useForm({ name: '', password: '' }, async (f) => {
  await session.signIn(f.name, f.password)
  await router.push(typeof route.query.to === 'string' ? route.query.to : '/desk')
})
</script>

<template>
  <div class="door">
    <form class="module fields" @submit.prevent="enter">
      <h1>Umbrak</h1>
      <p class="faded">Memory upgrades, planned and proved.</p>
      <label>Name <input ref="first" v-model="form.name" autocomplete="username" autocapitalize="none" required maxlength="200" /></label>
      <label>Password <input v-model="form.password" type="password" autocomplete="current-password" required maxlength="1000" /></label>
      <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
      <button class="press wide" type="submit" :disabled="sending || !form.name || !form.password">Sign in</button>
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
