<script setup lang="ts">
/** As which a report was read, and reading it as another kind. */
import { ref } from 'vue'
import { api, ask, wordsOf, type Intake } from '@/api/client'
import { KINDS } from '@/stations/survey/words'
import { useKinds } from './kinds'

const props = defineProps<{ intake: Intake }>()
const emit = defineEmits<{ taken: [intake: Intake] }>()
const kinds = useKinds()
const busy = ref(false)
const wrong = ref('')

async function readAs(event: Event): Promise<void> {
  const select = event.target as HTMLSelectElement
  busy.value = true
  wrong.value = ''
  try {
    const params = { path: { intake_id: props.intake.id } }
    emit('taken', await ask(api.POST('/api/intakes/{intake_id}/readings', { params, body: { kind: select.value } })))
  } catch (error) {
    wrong.value = wordsOf(error)
    select.value = props.intake.reading.kind
  } finally {
    busy.value = false
  }
}
</script>

<template>
  <span class="faded small">
    <label
      >read as
      <select :value="intake.reading.kind" :disabled="busy" aria-label="Read as" @change="readAs">
        <option
          v-for="k in kinds.includes(intake.reading.kind) ? kinds : [intake.reading.kind, ...kinds]"
          :key="k"
          :value="k">
          {{ KINDS[k] ?? k }}
        </option>
      </select></label
    >
    <span v-if="wrong" class="wrong" role="alert"> {{ wrong }}</span>
  </span>
</template>

<style scoped>
select {
  max-width: 240px;
  padding: 2px 4px;
  border: 1px solid var(--rule);
  border-radius: 3px;
  background: var(--sheet);
  font: inherit;
  color: var(--ink);
}
.wrong {
  display: block;
  color: var(--stop);
}
</style>
