<script setup lang="ts">
import { onMounted, ref } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { useForm } from '@/ui/form'
import { session } from './session'

const route = useRoute()
const router = useRouter()
const first = ref<{ focus: () => void }>()

// Not by `autofocus`: that comes late, and would take the focus from somebody who types already.
onMounted(() => first.value?.focus())

const { values: form, wrong, sending, submit: enter } = useForm({ name: '', password: '' }, async (f) => {
  await session.signIn(f.name, f.password)
  await router.push(typeof route.query.to === 'string' ? route.query.to : '/machines')
})
</script>

<template>
  <div class="door">
    <form class="panel" @submit.prevent="enter">
      <svg width="40" height="50" viewBox="0 0 32 44" aria-hidden="true">
        <rect x="5" y="4" width="9" height="28" fill="var(--ink)" />
        <rect x="16" y="10" width="9" height="28" fill="var(--umber)" />
      </svg>
      <h1>Umbrak</h1>
      <p class="faded">Memory upgrades, planned and proved.</p>
      <v-text-field ref="first" v-model="form.name" label="Name" autocomplete="username" />
      <v-text-field v-model="form.password" label="Password" type="password" autocomplete="current-password" />
      <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
      <v-btn type="submit" color="primary" block :disabled="sending || !form.name || !form.password">Sign in</v-btn>
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
form {
  display: grid;
  gap: 14px;
  width: min(360px, 100%);
  padding: 28px;
}
p {
  margin: -8px 0 4px;
}
.wrong {
  margin: 0;
  color: var(--stop);
}
</style>
