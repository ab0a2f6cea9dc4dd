<script setup lang="ts">
/** The label of the module that goes in now, laid against the plan, and noted with its serial. */
import { nextTick, ref, useTemplateRef, watch } from 'vue'
import { api, ask, Unreachable, wordsOf } from '@/api/client'
import CodeCamera from '@/ui/CodeCamera.vue'

const props = defineProps<{
  runId: string
  slotId: string
  /** The serial that was noted before; "" = none. */ noted: string
}>()
const emit = defineEmits<{ note: [] }>()
const label = defineModel<string>('label', { required: true })
const serial = defineModel<string>('serial', { required: true })
const said = ref<{ how: 'go' | 'wrong' | 'ask'; words: string } | null>(null)
const answer = useTemplateRef('answer')
// What was said was said of other words.
watch(label, () => (said.value = null))
async function compare(): Promise<void> {
  try {
    const params = { path: { run_id: props.runId, slot: props.slotId } }
    const found = await ask(api.POST('/api/runs/{run_id}/slots/{slot}/label', { params, body: { text: label.value } }))
    const [differs, untold] = [found.differs.join(', '), found.untold.join(', ')]
    const how = found.matches ? 'go' : found.differs.length ? 'wrong' : 'ask'
    const words = found.matches
      ? `Matches the plan${found.stickers.length ? '; only the sticker differs' : ''}.`
      : found.differs.length
        ? `Not what is planned: ${differs} ${found.differs.length === 1 ? 'differs' : 'differ'} (${found.short}).`
        : untold
          ? `What it says agrees. It does not say: ${untold}. Read more of the label, or its part number.`
          : `Its number does not say whether it is the planned one. ${found.notes.join('. ')}.`
    said.value = { how, words }
  } catch (error) {
    said.value = {
      how: 'wrong',
      words:
        error instanceof Unreachable ? 'It cannot be compared without a connection: look yourself.' : wordsOf(error),
    }
  }
  // On a phone it stands below what is seen.
  await nextTick()
  answer.value?.scrollIntoView({ block: 'center' })
}
</script>

<template>
  <form class="fields hand" @submit.prevent="compare">
    <label
      >Label in your hand
      <input
        v-model="label"
        class="mono"
        maxlength="400"
        autocapitalize="characters"
        autocomplete="off"
        spellcheck="false"
    /></label>
    <button type="submit" class="plain small-plain" :disabled="!label.trim()">Compare</button>
    <CodeCamera @read="label = $event" />
    <label
      >Its serial
      <input
        v-model="serial"
        class="mono"
        maxlength="200"
        autocapitalize="characters"
        autocomplete="off"
        spellcheck="false"
        :placeholder="noted"
    /></label>
    <button type="button" class="plain small-plain" :disabled="!label.trim() && !serial.trim()" @click="emit('note')">
      Note
    </button>
    <p v-if="noted" class="says go">Noted: {{ noted }}</p>
    <p v-if="said" ref="answer" class="says" :class="said.how" role="status">{{ said.words }}</p>
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
.says.ask {
  color: var(--ask);
}
</style>
