<script setup lang="ts">
/** What to answer first: one question at a time, with what it could hide, where to look, and answers to press. */
import { computed, ref, watch } from 'vue'
import { RouterLink } from 'vue-router'
import { wordsOf, type Question } from '@/api/client'
import { amountIn } from '@/ui/form'
import SeverityMark from '@/ui/SeverityMark.vue'

const props = defineProps<{
  questions: Question[]
  mayAnswer: boolean
  machineId: string
  /** Hash of its model's sheet. */ sheet: string
}>()
const emit = defineEmits<{ answer: [facts: Question['answers'][number]['facts'], byPart: boolean] }>()

const at = ref(0)
const typed = ref('')
const fault = ref('')
const shown = computed(() => props.questions[Math.min(at.value, props.questions.length - 1)])
watch(
  () => props.questions.map((q) => q.needs.join(' ')).join('|'),
  () => {
    at.value = 0
    typed.value = fault.value = ''
  },
)

const HIDES: Record<string, string> = {
  stop: 'could hide a stop',
  risk: 'could hide a risk',
  slow: 'could hide that it runs slower',
}
/** Facts that are read as numbers; versions stay text. */
const isNumber = (need: string) => need.endsWith('_mib') || need.endsWith('_gib')

function keep(): void {
  const need = shown.value?.typed
  const value = typed.value.trim()
  if (!need || !value) return
  fault.value = ''
  try {
    emit('answer', { [need]: isNumber(need) ? amountIn(need, value) : value }, false)
  } catch (error) {
    fault.value = wordsOf(error)
  }
}
</script>

<template>
  <section v-if="shown" class="answer" aria-labelledby="answer-title">
    <div class="top">
      <h2 id="answer-title">Answer first</h2>
      <span
        >{{ Math.min(at, questions.length - 1) + 1 }} of {{ questions.length }};
        {{ HIDES[shown.hides] ?? shown.hides }}</span
      >
    </div>
    <p class="text">
      <SeverityMark severity="ask" /> <strong>{{ shown.text }}</strong>
    </p>
    <p class="why">{{ shown.why }}. <b>Look at:</b> {{ shown.look_at }}.</p>
    <div class="answers">
      <template v-if="mayAnswer">
        <button
          v-for="a in shown.answers"
          :key="a.words + a.source"
          type="button"
          class="press"
          :class="{ known: a.source }"
          @click="emit('answer', a.facts, !!a.source)">
          {{ a.words }}<small v-if="a.source">{{ a.source }}</small>
        </button>
        <form v-if="shown.typed" @submit.prevent="keep">
          <input
            v-model="typed"
            :aria-label="shown.text"
            :inputmode="isNumber(shown.typed) ? 'decimal' : 'text'"
            maxlength="60" />
          <button type="submit" class="press" :disabled="!typed.trim()">Keep it</button>
          <p v-if="fault" class="wrong small" role="alert">{{ fault }}</p>
        </form>
      </template>
      <RouterLink
        v-if="shown.needs.includes(shown.slots[0]!)"
        class="press"
        :to="`/machines/${machineId}/survey?slot=${encodeURIComponent(shown.slots[0]!)}`"
        >Say it in Survey</RouterLink
      >
      <RouterLink v-if="shown.of_sheet === 'limits'" class="press" :to="`/machines/${machineId}/ceiling`"
        >State a limit</RouterLink
      >
      <RouterLink
        v-else-if="shown.of_sheet"
        class="press"
        :to="`/sheets/${sheet}?ask=${encodeURIComponent(shown.of_sheet)}`"
        >Say it in its model's sheet</RouterLink
      >
      <button
        v-if="questions.length > 1"
        type="button"
        class="press later"
        @click="at = (Math.min(at, questions.length - 1) + 1) % questions.length">
        Not now
      </button>
    </div>
  </section>
</template>

<style scoped>
.answer {
  margin: 2px 0 10px;
  padding: 7px 10px 10px;
  border-radius: 4px;
  background: color-mix(in srgb, var(--ask) 9%, transparent);
  border: 1px solid color-mix(in srgb, var(--ask) 30%, transparent);
}
.top {
  display: flex;
  justify-content: space-between;
  gap: 8px;
  align-items: baseline;
  font-size: 13px;
  color: var(--ask);
}
.top h2 {
  margin: 0;
  color: var(--ask);
}
p {
  margin: 4px 0 0;
}
.text {
  display: flex;
  gap: 9px;
  align-items: flex-start;
  font-size: 14px;
  line-height: 1.3;
}
.text .mark {
  margin-top: 2px;
}
.why {
  padding-left: 24px;
  font-size: 13px;
  line-height: 1.35;
  color: var(--faded);
}
.why b {
  color: var(--ink);
}
.answers .press {
  max-width: 100%;
  white-space: normal;
  overflow-wrap: anywhere;
}
.answers,
form {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.answers {
  padding: 8px 0 0 24px;
}
.press {
  padding: 4px 9px;
  border: 1px solid var(--ask);
  border-radius: 4px;
  background: var(--paper);
  color: var(--ask);
  font-size: 13px;
  font-weight: 600;
  text-decoration: none;
}
.known {
  font-weight: 700;
}
.known small {
  display: block;
  font-weight: 400;
}
.press:disabled {
  opacity: 0.5;
}
.later {
  border-color: var(--rule);
  color: inherit;
  font-weight: 400;
}
input {
  width: 110px;
  padding: 3px 7px;
  border: 1px solid var(--rule);
  border-radius: 4px;
  background: var(--paper);
  color: inherit;
}
</style>
