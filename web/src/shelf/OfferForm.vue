<script setup lang="ts">
/** What a supplier asks for a part. */
import { reactive, ref } from 'vue'
import { api, ask, faultsOf } from '@/api/client'
import { useLabel } from './label'

defineProps<{ currency: string }>()
const emit = defineEmits<{ saved: []; leave: [] }>()
const form = reactive({ part: '', supplier: '', price: '', kit: '1', stock: '', lead: '', listed: '' })
const wrong = ref('')
const { label, words, module, spd } = useLabel(wrong)
const number = (given: string) => (given.trim() ? Number(given.replace(',', '.')) : null)

async function add(): Promise<void> {
  wrong.value = ''
  try {
    const found = await module()
    const body = {
      part: form.part.trim() || found.part || '',
      module: found as never,
      supplier: form.supplier,
      price: form.price.trim().replace(',', '.') as never,
      kit: number(form.kit) ?? 1,
      stock: number(form.stock),
      lead_days: number(form.lead),
      listed: form.listed === '' ? null : form.listed === 'yes',
    }
    await ask(api.POST('/api/shelf/offers', { body }))
    emit('saved')
  } catch (error) {
    wrong.value = faultsOf(error)
  }
}
</script>

<template>
  <form class="fields grid add" aria-label="Add an offer" @submit.prevent="add">
    <label>Part number <input v-model="form.part" class="mono" maxlength="120" /></label>
    <label class="wide">Label, unless the part is known here <input v-model="label" class="mono" maxlength="400" placeholder="32GB 2Rx8 PC5-4800B-RA0" /></label>
    <label>Price of a kit [{{ currency }}] <input v-model="form.price" inputmode="decimal" required /></label>
    <label>Modules in a kit <input v-model="form.kit" inputmode="numeric" /></label>
    <label>Supplier <input v-model="form.supplier" maxlength="200" /></label>
    <label>There in [days] <input v-model="form.lead" inputmode="numeric" /></label>
    <label>To be had <input v-model="form.stock" inputmode="numeric" placeholder="as many as wanted" /></label>
    <label>Listed by the maker
      <select v-model="form.listed">
        <option value="">as its sheet says</option>
        <option value="yes">yes</option>
        <option value="no">no</option>
      </select>
    </label>
    <label>or its SPD <input type="file" @change="spd" /></label>
    <p v-if="words" class="small wide" role="status">{{ words }}</p>
    <p v-if="wrong" class="wrong wide" role="alert">{{ wrong }}</p>
    <div class="choices">
      <button type="button" class="quiet-link" @click="emit('leave')">Leave it</button>
      <v-btn type="submit" color="primary" :disabled="!form.price.trim() || (!form.part.trim() && !label.trim() && !words)">Add it</v-btn>
    </div>
  </form>
</template>

<style scoped>
.add {
  padding: 6px 18px 14px;
}
</style>
