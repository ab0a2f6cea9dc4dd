<script setup lang="ts">
/** A word at a step: a note, what is not right, or what is not as its sheet says, said so that the sheet can be corrected at a press. */
import { ref } from 'vue'
import type { RunStep } from '@/api/client'
import type { Entry } from './queue'
import type { About } from './say'

const props = defineProps<{ about: About; step: RunStep; hasBays: boolean }>()
const emit = defineEmits<{ say: [entry: Entry]; leave: [] }>()
const ASKS: Record<About, string> = {
  note: 'Note',
  wrong: 'What is not right?',
  doubt: 'What is not as its sheet says?',
}
const text = ref('')
const moreBays = ref('')
const printed = ref('')
const seal = ref(false)
function say(): void {
  const plain = { step: props.step.key, text: text.value }
  const bays = moreBays.value
    .split(/[^0-9]+/)
    .filter(Boolean)
    .map(Number)
  if (props.about === 'doubt') emit('say', { kind: 'doubt', ...plain, bays, printed: printed.value, seal: seal.value })
  else emit('say', { kind: props.about === 'wrong' ? 'not-right' : 'note', ...plain })
}
</script>

<template>
  <form class="fields ask" @submit.prevent="say">
    <label>{{ ASKS[about] }} <input v-model="text" maxlength="2000" :required="about !== 'wrong'" /></label>
    <template v-if="about === 'doubt'">
      <label v-if="hasBays"
        >Bays that had to come out too <input v-model="moreBays" inputmode="numeric" placeholder="3" maxlength="60"
      /></label>
      <label v-if="step.slots.length === 1"
        >Printed at the slot <input v-model="printed" maxlength="60" placeholder="J7"
      /></label>
      <label class="seal"><input v-model="seal" type="checkbox" /> a seal breaks: opening it ends the warranty</label>
    </template>
    <div class="two">
      <button type="button" class="plain" @click="emit('leave')">Cancel</button
      ><button type="submit" class="main">Keep it</button>
    </div>
  </form>
</template>

<style scoped src="./presses.css"></style>
<style scoped>
.ask {
  margin: 0;
  padding: 12px 16px;
  background: var(--sheet);
  border: 1px solid var(--rule);
  display: grid;
  gap: 10px;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 2fr) minmax(0, 5fr);
  gap: 10px;
}
</style>
