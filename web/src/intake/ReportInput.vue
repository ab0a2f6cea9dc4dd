<script setup lang="ts">
/** The one intake: a file dropped or chosen, text pasted, or a service asked; what it is, is found from its content. */
import { ref } from 'vue'
import { Refusal, wordsOf, type Access, type Intake, type ServiceKind } from '@/api/client'
import { askOnce, takeIn } from '@/api/intake'
import { KINDS } from '@/stations/survey/words'
import AskForm from './AskForm.vue'
import { useKinds } from './kinds'
import WhatToRun from './WhatToRun.vue'

const props = defineProps<{
  /** Asks a service in another way than once: the machine's own keeps it. */
  askBy?: (kind: ServiceKind, access: Access) => Promise<Intake>
  /** What is given is for Proof. */
  proof?: boolean
}>()
const emit = defineEmits<{ taken: [intake: Intake] }>()
const pasted = ref('')
/** As which it is read; "" = as its content tells. */
const kind = ref('')
const kinds = useKinds()
const over = ref(false)
const busy = ref(false)
const asking = ref(false)
const faults = ref<string[]>([])

async function take(given: File | string | undefined | null): Promise<void> {
  if (!given) return
  busy.value = true
  faults.value = []
  try {
    emit('taken', await takeIn(given, kind.value))
  } catch (error) {
    const errors = error instanceof Refusal ? (error.problem.errors ?? []) : []
    faults.value = errors.length
      ? errors.map((e) => (e.line ? `line ${e.line}: ${e.message}` : e.message))
      : [wordsOf(error)]
  } finally {
    busy.value = false
  }
}
function onDrop(event: DragEvent): void {
  over.value = false
  void take(event.dataTransfer?.files[0] ?? event.dataTransfer?.getData('text'))
}
async function send(kind: ServiceKind, access: Access): Promise<void> {
  emit('taken', await (props.askBy ?? askOnce)(kind, access))
}
</script>

<template>
  <div class="input" :class="{ over }" @dragover.prevent="over = true" @dragleave="over = false" @drop.prevent="onDrop">
    <p class="faded small">
      Drop a file here: its SMBIOS tables, a module's SPD, a saved Redfish collection. Or paste what its system lists,
      in any of the ways below, an SNMP walk, what the labels say, a line a slot, or a table that somebody keeps of its
      slots.
    </p>
    <WhatToRun :proof="proof" />
    <textarea
      v-model="pasted"
      class="mono"
      rows="5"
      spellcheck="false"
      aria-label="Paste what it reports"
      placeholder="Handle 0x0011, DMI type 17, 84 bytes&#10;Memory Device ...&#10;or  A1: 16GB 2Rx8 PC4-2400T-RE1-11"></textarea>
    <ul v-if="faults.length" class="faults" role="alert">
      <li v-for="f in faults" :key="f">{{ f }}</li>
    </ul>
    <div class="choices">
      <label class="small faded"
        >read as
        <select v-model="kind" aria-label="Read it as">
          <option value="">what it looks like</option>
          <option v-for="k in kinds" :key="k" :value="k">{{ KINDS[k] ?? k }}</option>
        </select>
      </label>
      <label class="file small faded"
        >or choose a file <input type="file" @change="take(($event.target as HTMLInputElement).files?.[0])"
      /></label>
      <button type="button" class="press" :disabled="!pasted.trim() || busy" @click="take(pasted)">Read it</button>
    </div>
    <button v-if="!asking" type="button" class="quiet-link network" @click="asking = true">
      Ask it over the network
    </button>
    <AskForm v-else :send="send" @leave="asking = false" />
  </div>
</template>

<style scoped>
.input {
  display: grid;
  gap: 8px;
  border-radius: 4px;
}
.over {
  outline: 2px dashed var(--umber);
  outline-offset: 4px;
  background: var(--lit);
}
p {
  margin: 0;
}
textarea {
  width: 100%;
  padding: 8px 10px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--paper);
  color: var(--ink);
  font-size: 12px;
  resize: vertical;
}
::placeholder {
  color: var(--faded);
  opacity: 1;
}
.choices {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 10px;
  flex-wrap: wrap;
}
.choices select {
  max-width: 240px;
  padding: 3px 6px;
  border: 1px solid var(--module-edge);
  border-radius: 3px;
  background: var(--sheet);
  color: var(--ink);
  font: inherit;
}
.file input {
  display: block;
  max-width: 220px;
}
.network {
  justify-self: start;
}
.faults {
  margin: 0;
  padding-left: 18px;
  color: var(--stop);
}
</style>
