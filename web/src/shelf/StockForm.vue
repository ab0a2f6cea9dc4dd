<script setup lang="ts">
/** Modules put on the Shelf by their label, typed or scanned. */
import { api, ask } from '@/api/client'
import CodeCamera from '@/ui/CodeCamera.vue'
import FieldFault from '@/ui/FieldFault.vue'
import { numberIn, useForm } from '@/ui/form'
import { useLabel } from './label'
import { STATES } from './words'

const emit = defineEmits<{ saved: []; leave: [] }>()

const {
  values: form,
  faults,
  wrong,
  sending,
  submit: put,
} = useForm(
  { part: '', count: '1', state: 'new', place: '', note: '', label: '' },
  async (f) => {
    const body = {
      module: (await module()) as never,
      count: numberIn('count', f.count) ?? 1,
      state: f.state as 'new',
      part: f.part.trim() || null,
      place: f.place,
      note: f.note,
    }
    await ask(api.POST('/api/shelf/stock', { body }))
    emit('saved')
  },
  { module: 'label' },
)
const { label, words, module, spd } = useLabel(wrong, () => form.part)
</script>

<template>
  <form class="fields grid put" aria-label="Put on the Shelf" @submit.prevent="put">
    <label class="wide"
      >Label <input v-model="label" class="mono" maxlength="400" placeholder="16GB 1Rx8 PC5-4800B-RC0" /><FieldFault
        :of="faults"
        name="label"
    /></label>
    <CodeCamera @read="label = $event" />
    <label
      >Part number <input v-model="form.part" class="mono" maxlength="120" /><FieldFault :of="faults" name="part"
    /></label>
    <label>How many <input v-model="form.count" inputmode="numeric" /><FieldFault :of="faults" name="count" /></label>
    <label
      >State
      <select v-model="form.state">
        <option v-for="(w, key) in STATES" :key="key" :value="key">{{ w }}</option>
      </select>
    </label>
    <label>Where <input v-model="form.place" maxlength="200" /></label>
    <label class="wide">Note <input v-model="form.note" maxlength="2000" /></label>
    <label>or its SPD <input type="file" @change="spd" /></label>
    <p v-if="words" class="small wide" role="status">{{ words }}</p>
    <p v-if="wrong" class="wrong wide" role="alert">{{ wrong }}</p>
    <div class="choices">
      <button type="button" class="quiet-link" @click="emit('leave')">Cancel</button>
      <button class="press" type="submit" :disabled="sending || (!label.trim() && !form.part.trim() && !words)">
        Put it there
      </button>
    </div>
  </form>
</template>

<style scoped>
.put {
  padding: 6px 18px 14px;
}
</style>
