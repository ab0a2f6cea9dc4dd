<script setup lang="ts">
/** A sheet drafted from a report: its text to mend, its questions marked; kept, it is a model like any other. */
import { computed, onMounted, ref } from 'vue'
import { api, ask, Refusal, wordsOf, type Intake, type SheetRow } from '@/api/client'
import { plural } from '@/ui/words'

const props = defineProps<{ intake: Intake }>()
const emit = defineEmits<{ kept: [sheet: SheetRow, findings: string[]]; leave: [] }>()
const text = ref('')
const faults = ref<string[]>([])
const field = ref<HTMLTextAreaElement>()
const questions = computed(() => (text.value.match(/# .*\bask:/g) ?? []).length)

onMounted(async () => {
  try {
    text.value = await ask(api.GET('/api/intakes/{intake_id}/draft', { params: { path: { intake_id: props.intake.id } } }))
  } catch (error) {
    faults.value = [wordsOf(error)]
  }
})

const place = (f: { line?: number | null; message: string }) => (f.line ? `line ${f.line}: ${f.message}` : f.message)

async function keep(): Promise<void> {
  faults.value = []
  try {
    const kept = await ask(api.POST('/api/sheets', { body: { text: text.value } }))
    emit('kept', kept.sheet, kept.findings.map(place))
  } catch (error) {
    const errors = error instanceof Refusal ? (error.problem.errors ?? []) : []
    faults.value = errors.length ? errors.map((e) => place({ line: e.line, message: `${e.field}: ${e.message}` })) : [wordsOf(error)]
    const line = errors.find((e) => e.line)?.line
    if (line) goTo(line)
  }
}

/** Put the cursor where the first fault is. */
function goTo(line: number): void {
  const before = text.value.split('\n').slice(0, line - 1).join('\n').length + (line > 1 ? 1 : 0)
  const end = text.value.indexOf('\n', before)
  field.value?.focus()
  field.value?.setSelectionRange(before, end < 0 ? text.value.length : end)
}
</script>

<template>
  <v-dialog :model-value="true" max-width="900" aria-labelledby="draft-title" @update:model-value="$emit('leave')">
    <div class="panel dialog">
      <h2 id="draft-title">A sheet drafted from the report</h2>
      <p>
        What the report tells is filled in. {{ plural(questions, 'question is', 'questions are') }} marked “ask”: look them up in the maker's
        guide, or keep it so and go on; what is not said is asked for, never assumed.
      </p>
      <textarea ref="field" v-model="text" class="mono" rows="20" spellcheck="false" aria-label="Text of the sheet"></textarea>
      <ul v-if="faults.length" class="faults" role="alert">
        <li v-for="f in faults" :key="f">{{ f }}</li>
      </ul>
      <div class="choices">
        <button type="button" class="press quiet" @click="$emit('leave')">Leave it</button>
        <button type="button" class="press" :disabled="!text.trim()" @click="keep">Keep this sheet</button>
      </div>
    </div>
  </v-dialog>
</template>

<style scoped>
.dialog {
  padding: 20px 24px;
}
textarea {
  width: 100%;
  padding: 10px 12px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--paper);
  color: var(--ink);
  font-size: 13px;
  line-height: 1.45;
}
.faults {
  color: var(--stop);
  margin: 6px 0 0;
  padding-left: 18px;
}
.choices {
  display: flex;
  justify-content: flex-end;
  gap: 10px;
  margin-top: 12px;
}
</style>
