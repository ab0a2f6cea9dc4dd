<script setup lang="ts">
/** What the machine shows of its memory's use at its worst time; what nobody looked at is left empty. */
import { api, ask, type SymptomsView } from '@/api/client'
import FieldFault from '@/ui/FieldFault.vue'
import { numberIn, useForm } from '@/ui/form'

const props = defineProps<{ machineId: string; told: number | null }>()
const emit = defineEmits<{ kept: [view: SymptomsView] }>()
const {
  values: form,
  faults,
  wrong,
  sending,
  submit,
  clear,
} = useForm(
  { used: '', swapped: '', pages: '' as '' | 'yes' | 'no', cache: '', hit: '', wanted: '', refused: '', each: '' },
  async () => {
    const share = (field: string, typed: string) => {
      const percent = numberIn(field, typed)
      return percent === null ? null : percent / 100
    }
    const body = {
      used_gib: numberIn('used', form.used),
      swapped_gib: numberIn('swapped', form.swapped),
      pages: form.pages ? form.pages === 'yes' : null,
      cache_gib: numberIn('cache', form.cache),
      cache_hit: share('hit', form.hit),
      hit_wanted: share('wanted', form.wanted),
      refused: numberIn('refused', form.refused),
      refused_gib: numberIn('each', form.each),
    }
    const kept = await ask(
      api.POST('/api/machines/{machine_id}/symptoms', { params: { path: { machine_id: props.machineId } }, body }),
    )
    clear()
    emit('kept', kept)
  },
  {
    used_gib: 'used',
    swapped_gib: 'swapped',
    cache_gib: 'cache',
    cache_hit: 'hit',
    hit_wanted: 'wanted',
    refused_gib: 'each',
  },
)
</script>

<template>
  <form class="seen fields" aria-label="What it shows at its worst time" @submit.prevent="submit">
    <label
      >In use, without caches [GB]
      <input v-model="form.used" inputmode="decimal" :placeholder="told === null ? '' : `it told ${told}`" /><FieldFault
        :of="faults"
        name="used"
    /></label>
    <label
      >In swap [GB] <input v-model="form.swapped" inputmode="decimal" /><FieldFault :of="faults" name="swapped"
    /></label>
    <label>
      Pages come back from swap
      <select v-model="form.pages">
        <option value="">not looked at</option>
        <option value="yes">all the time</option>
        <option value="no">hardly ever</option>
      </select>
    </label>
    <label
      >Cache of files or blocks [GB] <input v-model="form.cache" inputmode="decimal" /><FieldFault
        :of="faults"
        name="cache"
    /></label>
    <label
      >Reads it answers [%] <input v-model="form.hit" inputmode="decimal" /><FieldFault :of="faults" name="hit"
    /></label>
    <label
      >It should answer [%] <input v-model="form.wanted" inputmode="decimal" /><FieldFault :of="faults" name="wanted"
    /></label>
    <label
      >Loads that found no room <input v-model="form.refused" inputmode="numeric" /><FieldFault
        :of="faults"
        name="refused"
    /></label>
    <label
      >Each takes [GB] <input v-model="form.each" inputmode="decimal" /><FieldFault :of="faults" name="each"
    /></label>
    <button class="press slim" type="submit" :disabled="sending">Keep what it shows</button>
    <p v-if="wrong" class="wrong small" role="alert">{{ wrong }}</p>
  </form>
</template>

<style scoped>
.seen {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
  gap: 8px 12px;
  align-items: end;
  margin-top: 6px;
}
.wrong {
  grid-column: 1 / -1;
}
</style>
