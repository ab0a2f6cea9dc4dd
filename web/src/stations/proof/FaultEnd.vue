<script setup lang="ts">
/** How a fault search ends: a culprit module goes to the Shelf or back to who sold it, with its serial; or nothing leaves. */
import { reactive } from 'vue'
import type { MachineView } from '@/api/client'
import { printedOf } from './words'

const props = defineProps<{
  culprit: string
  module: string
  names: string[]
  serials: Record<string, string>
  machine: MachineView
  busy: boolean
}>()
const emit = defineEmits<{ end: [entry: Record<string, unknown>] }>()
const ending = reactive({
  module: props.module,
  fate: 'suspect',
  serial: props.serials[props.module] ?? '',
  reference: '',
  due_on: '',
  place: '',
  text: props.culprit,
})
function end(): void {
  const { text, due_on, ...leaves } = ending
  emit('end', { kind: 'found', text, ...(ending.module ? { ...leaves, due_on: due_on || null } : {}) })
}
</script>

<template>
  <form class="fields end" aria-label="End the search" @submit.prevent="end">
    <label
      >What leaves
      <select v-model="ending.module">
        <option value="">nothing: a seating, a slot, or not found</option>
        <option v-for="s in names" :key="s" :value="s">the module planned for {{ printedOf(machine.board, s) }}</option>
      </select></label
    >
    <template v-if="ending.module">
      <div class="two">
        <label
          >It goes
          <select v-model="ending.fate">
            <option value="suspect">Shelf, as suspect</option>
            <option value="to-return">back to who sold it</option>
          </select></label
        >
        <label>Its serial <input v-model="ending.serial" class="mono" maxlength="200" /></label>
      </div>
      <div class="two">
        <label>Place <input v-model="ending.place" maxlength="200" /></label>
        <label v-if="ending.fate === 'to-return'">Reference <input v-model="ending.reference" maxlength="200" /></label>
        <label v-if="ending.fate === 'to-return'">Due <input v-model="ending.due_on" type="date" /></label>
      </div>
    </template>
    <label>What it was <input v-model="ending.text" maxlength="2000" /></label>
    <button class="press slim" type="submit" :disabled="busy">
      {{ ending.module ? 'Another one is in its slot: look again' : 'Done: look at it again' }}
    </button>
  </form>
</template>

<style scoped>
.end {
  display: grid;
  gap: 8px;
  justify-items: start;
}
.end > label,
.two {
  width: 100%;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px;
}
</style>
