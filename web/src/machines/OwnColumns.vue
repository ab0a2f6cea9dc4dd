<script setup lang="ts">
/** Columns of an installation's own, as part of a form: name and what stands there; an empty value takes the column away. */
import FieldFault from '@/ui/FieldFault.vue'

const rows = defineModel<{ name: string; value: string }[]>({ required: true })
defineProps<{ faults: Record<string, string> }>()
</script>

<template>
  <fieldset class="wide own">
    <legend class="small faded">Columns of your own</legend>
    <div v-for="(row, i) in rows" :key="i" class="row">
      <input v-model="row.name" maxlength="120" aria-label="Name of the column" placeholder="cost centre" />
      <input v-model="row.value" maxlength="2000" :aria-label="row.name || 'What stands there'" />
      <button
        type="button"
        class="quiet-link"
        :aria-label="`Take ${row.name || 'this column'} away`"
        @click="rows.splice(i, 1)">
        &times;
      </button>
    </div>
    <button type="button" class="quiet-link small" @click="rows.push({ name: '', value: '' })">Add one</button>
    <FieldFault :of="faults" name="own" />
  </fieldset>
</template>

<style scoped>
.own {
  border: 0;
  padding: 0;
  margin: 0;
  display: grid;
  gap: 4px;
  justify-items: start;
}
.row {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 2fr) 28px;
  gap: 8px;
  width: 100%;
}
</style>
