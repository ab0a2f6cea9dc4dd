<script setup lang="ts">
/** What a GB is thought to cost where nobody offers it: of the machine's maker, and of others. */
import { ref, watch } from 'vue'
import { api, ask, type Money } from '@/api/client'
import { session } from '@/frame/session'
import FieldFault from '@/ui/FieldFault.vue'
import { numbersIn, useForm } from '@/ui/form'

const props = defineProps<{ money: Money }>()
const emit = defineEmits<{ kept: [] }>()
const open = ref(false)
const shown = (n: number) => (n ? String(n) : '')
const {
  values: form,
  faults,
  wrong,
  sending,
  submit: keep,
} = useForm({ official_per_gb: '', third_party_per_gb: '' }, async (f) => {
  const said = numbersIn(f)
  // What else is kept there stays as it is by now.
  const kept = await ask(api.GET('/api/shelf/money'))
  await ask(
    api.PUT('/api/shelf/money', {
      body: { ...kept, official_per_gb: said.official_per_gb ?? 0, third_party_per_gb: said.third_party_per_gb ?? 0 },
    }),
  )
  open.value = false
  emit('kept')
})
watch(
  () => props.money,
  (m) =>
    Object.assign(form, { official_per_gb: shown(m.official_per_gb), third_party_per_gb: shown(m.third_party_per_gb) }),
  { immediate: true },
)
</script>

<template>
  <span class="guess">
    <template v-if="money.official_per_gb || money.third_party_per_gb">
      Prices are your guess:
      <template v-if="money.third_party_per_gb">{{ money.third_party_per_gb }} {{ money.currency }} a GB</template
      ><template v-else>parts of other makers have none and are left out</template>,
      <template v-if="money.official_per_gb">{{ money.official_per_gb }} of the maker’s list</template
      ><template v-else>parts of the maker’s list have none and are left out</template>.
    </template>
    <template v-else>Nothing has a price.</template>{{ ' ' }}
    <button v-if="session.mayWrite()" type="button" class="quiet-link" :aria-expanded="open" @click="open = !open">
      {{ money.official_per_gb || money.third_party_per_gb ? 'Guess anew' : 'Guess what a GB costs' }}
    </button>
    <form v-if="open" class="fields" aria-label="What a GB costs" @submit.prevent="keep">
      <label
        >A GB of other makers [{{ money.currency }}]
        <input v-model="form.third_party_per_gb" inputmode="decimal" /><FieldFault
          :of="faults"
          name="third_party_per_gb"
      /></label>
      <label
        >A GB of the maker’s list [{{ money.currency }}]
        <input v-model="form.official_per_gb" inputmode="decimal" /><FieldFault :of="faults" name="official_per_gb"
      /></label>
      <button class="press slim" type="submit" :disabled="sending">Keep</button>
      <span v-if="wrong" class="wrong" role="alert">{{ wrong }}</span>
    </form>
  </span>
</template>

<style scoped>
form {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: end;
  margin: 6px 0 4px;
}
form label {
  width: 200px;
}
</style>
