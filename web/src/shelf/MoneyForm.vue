<script setup lang="ts">
/** What money is reckoned with: the currency, hours, returns, data. */
import { onMounted, ref } from 'vue'
import { api, ask, type Money } from '@/api/client'
import FieldFault from '@/ui/FieldFault.vue'
import { numbersIn, useForm } from '@/ui/form'

const emit = defineEmits<{ saved: []; leave: [] }>()
const blank: Record<keyof Money, string> = {
  currency: '',
  hour: '',
  downtime_hour: '',
  returned: '',
  data: '',
  backup_tiers: '',
  official_per_gb: '',
  third_party_per_gb: '',
}
const {
  values: form,
  faults,
  wrong,
  sending,
  submit: keep,
} = useForm(blank, async (f) => {
  const { currency, ...amounts } = f
  const said = numbersIn(amounts)
  const body = {
    currency: currency.trim().toUpperCase(),
    hour: said.hour ?? 0,
    downtime_hour: said.downtime_hour ?? 0,
    returned: said.returned ?? 0,
    data: said.data ?? 0,
    backup_tiers: said.backup_tiers ?? 0,
    official_per_gb: said.official_per_gb ?? 0,
    third_party_per_gb: said.third_party_per_gb ?? 0,
  }
  await ask(api.PUT('/api/shelf/money', { body }))
  emit('saved')
})
/** What is kept is shown before anybody types over it. */
const loaded = ref(false)
onMounted(async () => {
  const kept = await ask(api.GET('/api/shelf/money'))
  for (const [key, value] of Object.entries(kept)) form[key as keyof Money] = String(value)
  loaded.value = true
})
</script>

<template>
  <form v-if="loaded" class="panel fields grid money" aria-label="Money" @submit.prevent="keep">
    <label
      >Currency <input v-model="form.currency" maxlength="3" required pattern="[A-Za-z]{3}" /><FieldFault
        :of="faults"
        name="currency"
    /></label>
    <label
      >An hour of hands <input v-model="form.hour" inputmode="decimal" /><FieldFault :of="faults" name="hour"
    /></label>
    <label
      >An hour without a machine <input v-model="form.downtime_hour" inputmode="decimal" /><FieldFault
        :of="faults"
        name="downtime_hour"
    /></label>
    <label
      >Sending modules back <input v-model="form.returned" inputmode="decimal" /><FieldFault
        :of="faults"
        name="returned"
    /></label>
    <label
      >A machine’s data lost <input v-model="form.data" inputmode="decimal" /><FieldFault :of="faults" name="data"
    /></label>
    <label
      >Tiers of backup <input v-model="form.backup_tiers" inputmode="numeric" /><FieldFault
        :of="faults"
        name="backup_tiers"
    /></label>
    <label
      >A GB of other makers, where nobody offers it
      <input v-model="form.third_party_per_gb" inputmode="decimal" /><FieldFault :of="faults" name="third_party_per_gb"
    /></label>
    <label
      >A GB of the machine maker’s list <input v-model="form.official_per_gb" inputmode="decimal" /><FieldFault
        :of="faults"
        name="official_per_gb"
    /></label>
    <p class="small faded why">
      By these, Routes reckons what trouble would cost on average; where nothing at hand goes in, what a way would cost
      by your guess. 0: nothing is said.
    </p>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <div class="choices">
      <button type="button" class="quiet-link" @click="emit('leave')">Cancel</button>
      <button class="press" type="submit" :disabled="sending">Keep</button>
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
