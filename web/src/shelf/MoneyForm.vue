<script setup lang="ts">
/** What money is reckoned with: the currency, hours, returns, data. */
import { onMounted, reactive, ref } from 'vue'
import { api, ask, wordsOf, type Money } from '@/api/client'

const emit = defineEmits<{ saved: []; leave: [] }>()
const form = reactive<Record<keyof Money, string>>({ currency: '', hour: '', downtime_hour: '', returned: '', data: '', backup_tiers: '' })
const wrong = ref('')
/** What is kept is shown before anybody types over it. */
const loaded = ref(false)
onMounted(async () => {
  const kept = await ask(api.GET('/api/shelf/money'))
  for (const [key, value] of Object.entries(kept)) form[key as keyof Money] = String(value)
  loaded.value = true
})
const number = (key: keyof Money) => Number(form[key].replace(',', '.')) || 0
async function keep(): Promise<void> {
  try {
    const body = { currency: form.currency.trim().toUpperCase(), hour: number('hour'), downtime_hour: number('downtime_hour'), returned: number('returned'), data: number('data'), backup_tiers: number('backup_tiers') }
    await ask(api.PUT('/api/shelf/money', { body }))
    emit('saved')
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
</script>

<template>
  <form v-if="loaded" class="panel fields grid money" aria-label="Money" @submit.prevent="keep">
    <label>Currency <input v-model="form.currency" maxlength="3" required pattern="[A-Za-z]{3}" /></label>
    <label>An hour of hands <input v-model="form.hour" inputmode="decimal" /></label>
    <label>An hour without a machine <input v-model="form.downtime_hour" inputmode="decimal" /></label>
    <label>Sending modules back <input v-model="form.returned" inputmode="decimal" /></label>
    <label>A machine’s data lost <input v-model="form.data" inputmode="decimal" /></label>
    <label>Tiers of backup <input v-model="form.backup_tiers" inputmode="numeric" /></label>
    <p class="small faded why">By these, Routes reckons what trouble would cost on average.</p>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <div class="choices">
      <button type="button" class="quiet-link" @click="emit('leave')">Leave it</button>
      <v-btn type="submit" color="primary">Keep</v-btn>
    </div>
  </form>
</template>

<style scoped>
.money {
  padding: 14px 18px;
}
.why {
  grid-column: 1 / -1;
  margin: 0;
}
</style>
