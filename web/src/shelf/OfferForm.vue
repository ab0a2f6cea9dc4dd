<script setup lang="ts">
/** What a supplier asks for a part. */
import { watch } from 'vue'
import { api, ask } from '@/api/client'
import FieldFault from '@/ui/FieldFault.vue'
import { numbersIn, useForm } from '@/ui/form'
import { useLabel } from './label'

defineProps<{ currency: string }>()
const emit = defineEmits<{ saved: []; leave: [] }>()
const {
  values: form,
  faults,
  wrong,
  sending,
  submit: add,
} = useForm(
  { part: '', supplier: '', price: '', kit: '1', stock: '', lead: '', listed: '', label: '' },
  async (f) => {
    const said = numbersIn({ price: f.price, kit: f.kit, stock: f.stock, lead: f.lead })
    const found = await module()
    const body = {
      part: f.part.trim() || found.part || '',
      module: found as never,
      supplier: f.supplier,
      price: String(said.price ?? '') as never,
      kit: said.kit ?? 1,
      stock: said.stock,
      lead_days: said.lead,
      listed: f.listed === '' ? null : f.listed === 'yes',
    }
    await ask(api.POST('/api/shelf/offers', { body }))
    emit('saved')
  },
  { module: 'label', lead_days: 'lead' },
)
const { label, words, kit, module, spd } = useLabel(wrong, () => form.part)
// The price is of all that the label tells, unless one says otherwise.
watch(kit, (told, before) => {
  if (form.kit.trim() === String(before ?? 1)) form.kit = String(told ?? 1)
})
</script>

<template>
  <form class="fields grid add" aria-label="Add an offer" @submit.prevent="add">
    <label
      >Part number <input v-model="form.part" class="mono" maxlength="120" /><FieldFault :of="faults" name="part"
    /></label>
    <label class="wide"
      >Label, unless the part is known here
      <input v-model="label" class="mono" maxlength="400" placeholder="32GB 2Rx8 PC5-4800B-RA0" /><FieldFault
        :of="faults"
        name="label"
    /></label>
    <label
      >Price of a kit [{{ currency }}] <input v-model="form.price" inputmode="decimal" required /><FieldFault
        :of="faults"
        name="price"
    /></label>
    <label
      >Modules in a kit <input v-model="form.kit" inputmode="numeric" /><FieldFault :of="faults" name="kit"
    /></label>
    <label>Supplier <input v-model="form.supplier" maxlength="200" /></label>
    <label
      >There in [days] <input v-model="form.lead" inputmode="numeric" /><FieldFault :of="faults" name="lead"
    /></label>
    <label
      >To be had <input v-model="form.stock" inputmode="numeric" placeholder="as many as wanted" /><FieldFault
        :of="faults"
        name="stock"
    /></label>
    <label
      >Listed by the maker
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
      <button type="button" class="quiet-link" @click="emit('leave')">Cancel</button>
      <button
        class="press"
        type="submit"
        :disabled="sending || !form.price.trim() || (!form.part.trim() && !label.trim() && !words)">
        Add it
      </button>
    </div>
  </form>
</template>

<style scoped>
.add {
  padding: 6px 18px 14px;
}
</style>
