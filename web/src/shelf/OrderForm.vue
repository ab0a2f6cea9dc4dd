<script setup lang="ts">
/** What was ordered of one supplier, kept so that it is waited for and read in. */
import { computed } from 'vue'
import { api, ask, type Buying } from '@/api/client'
import FieldFault from '@/ui/FieldFault.vue'
import { useForm } from '@/ui/form'
import { bySupplier } from './buying'

const props = defineProps<{ buying: Buying }>()
const emit = defineEmits<{ saved: []; leave: [] }>()
const suppliers = computed(() => bySupplier(props.buying))
const {
  values: form,
  faults,
  wrong,
  sending,
  submit: keep,
} = useForm(
  {
    supplier: suppliers.value[0]?.supplier ?? '',
    reference: '',
    ordered: new Date().toLocaleDateString('sv'),
    due: '',
  },
  async (f) => {
    const plans = props.buying.plans.filter((p) => p.chosen).map((p) => p.id)
    const body = {
      supplier: f.supplier,
      reference: f.reference,
      ordered_on: f.ordered,
      due_on: f.due || null,
      plans,
      cost: (chosen.value?.cost ?? 0).toFixed(3) as never,
    }
    await ask(api.POST('/api/buying/orders', { body }))
    emit('saved')
  },
  { due_on: 'due', ordered_on: 'ordered' },
)
const chosen = computed(() => suppliers.value.find((s) => s.supplier === form.supplier))
</script>

<template>
  <form class="fields grid order" aria-label="Ordered" @submit.prevent="keep">
    <label
      >Of
      <select v-model="form.supplier">
        <option v-for="s in suppliers" :key="s.supplier" :value="s.supplier">
          {{ s.supplier || 'no supplier named' }}
        </option></select
      ><FieldFault :of="faults" name="supplier" />
    </label>
    <label>Reference <input v-model="form.reference" maxlength="200" class="mono" /></label>
    <label
      >Ordered on <input v-model="form.ordered" type="date" required /><FieldFault :of="faults" name="ordered"
    /></label>
    <label>Due on <input v-model="form.due" type="date" /><FieldFault :of="faults" name="due" /></label>
    <FieldFault :of="faults" name="cost" />
    <p v-if="wrong" class="wrong wide" role="alert">{{ wrong }}</p>
    <div class="choices">
      <button type="button" class="quiet-link" @click="emit('leave')">Cancel</button>
      <button class="press" type="submit" :disabled="sending || !chosen">
        It is ordered{{ chosen ? `: ${chosen.modules} for ${chosen.cost.toFixed(2)} ${buying.currency}` : '' }}
      </button>
    </div>
  </form>
</template>

<style scoped>
.order {
  padding: 6px 0 4px;
}
</style>
