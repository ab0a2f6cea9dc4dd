<script setup lang="ts">
/** The label of the module that goes in now, laid against the plan, and noted with its serial. */
import { ref, watch } from 'vue'
import { api, ask, Unreachable, wordsOf } from '@/api/client'
import CodeCamera from '@/ui/CodeCamera.vue'

const props = defineProps<{ runId: string; slotId: string; /** The serial that was noted before; "" = none. */ noted: string }>()
const emit = defineEmits<{ note: [] }>()
const label = defineModel<string>('label', { required: true })
const serial = defineModel<string>('serial', { required: true })
const said = ref<{ fits: boolean; words: string } | null>(null)
// What was said was said of other words.
watch(label, () => (said.value = null))
async function compare(): Promise<void> {
  try {
    const params = { path: { run_id: props.runId, slot: props.slotId } }
    const found = await ask(api.POST('/api/runs/{run_id}/slots/{slot}/label', { params, body: { text: label.value } }))
    const differs = found.differs.map((m) => m.replace(/_/g, ' ')).join(', ')
    said.value = { fits: found.matches, words: found.matches ? `Matches the plan${found.stickers.length ? '; only the sticker differs' : ''}.` : !found.differs.length ? `Its number does not say whether it is the planned one. ${found.notes.join('. ')}.` : `Not what is planned: ${differs} ${found.differs.length === 1 ? 'differs' : 'differ'} (${found.short}).` }
  } catch (error) {
    said.value = { fits: false, words: error instanceof Unreachable ? 'It cannot be compared without a connection: look yourself.' : wordsOf(error) }
  }
}
</script>

<template>
  <form class="fields hand" @submit.prevent="compare">
    <label>Label in your hand <input v-model="label" class="mono" maxlength="400" autocapitalize="characters" autocomplete="off" spellcheck="false" /></label>
    <button type="submit" class="plain small-plain" :disabled="!label.trim()">Compare</button>
    <CodeCamera @read="label = $event" />
    <label>Its serial <input v-model="serial" class="mono" maxlength="200" autocapitalize="characters" autocomplete="off" spellcheck="false" :placeholder="noted" /></label>
    <button type="button" class="plain small-plain" :disabled="!label.trim() && !serial.trim()" @click="emit('note')">Note</button>
    <p v-if="noted" class="says go">Noted: {{ noted }}</p>
    <p v-if="said" class="says" :class="said.fits ? 'go' : 'wrong'" role="status">{{ said.words }}</p>
  </form>
</template>

<style scoped src="./presses.css"></style>
<style scoped>
.hand {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 6px 12px;
  align-items: end;
  padding: 10px 16px 12px;
  background: var(--sheet);
  border: 1px solid var(--rule);
}
.small-plain {
  min-height: 44px;
  padding: 0 16px;
  font-size: 16px;
}
@media (pointer: coarse), (max-width: 700px) {
  .small-plain {
    min-height: 56px;
  }
}
.says {
  grid-column: 1 / -1;
  margin: 0;
  font-weight: 650;
}
.says.go {
  color: var(--go);
}
</style>
