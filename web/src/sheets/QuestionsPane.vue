<script setup lang="ts">
/** The questions, in the order in which a maker's guide tells them; one of them open. */
import { computed, nextTick, ref, watch } from 'vue'
import type { SheetQuestion } from '@/api/client'
import SeverityMark from '@/ui/SeverityMark.vue'
import { short } from '@/ui/words'
import AnswerForm from './AnswerForm.vue'
import { inWords, work } from './work'

const open = defineModel<string>({ required: true })
const w = work()
/** Whether questions are shown of which the sheet says nothing and on which nothing hangs. */
const more = ref(false)
const sections = computed(() =>
  (w.asks.value?.sections ?? []).map((title, i) => {
    const questions = w.questions.value.filter((q) => w.askOf(q)?.section === i + 1)
    return {
      title,
      number: i + 1,
      questions,
      wrong: questions.some((q) => faulty.value.get(q.key)?.wrong),
      state: stateOf(questions),
    }
  }),
)
const faulty = computed(
  () => new Map((w.seen.value?.said ?? []).filter((s) => s.question).map((s) => [s.question!, s])),
)
const opened = computed(() => w.questions.value.find((q) => q.key === open.value))
const sectionOpen = computed(() => (opened.value ? w.askOf(opened.value).section : 0))

function stateOf(questions: SheetQuestion[]): 'all' | 'some' | 'none' {
  const said = questions.filter((q) => q.state === 'told' || q.state === 'none' || q.state === 'untold').length
  return questions.some((q) => q.state === 'open') ? 'some' : said ? 'all' : 'none'
}
const brief = (q: SheetQuestion) => {
  const words =
    q.state === 'told'
      ? inWords(q.value)
      : {
          none: 'none',
          untold: `not told${q.words ? `: ${q.words}` : ''}`,
          open: `open${q.words ? `: ${q.words}` : ''}`,
          left: '',
        }[q.state]
  return short(words, 60)
}
const summary = (questions: SheetQuestion[]) =>
  questions
    .filter((q) => q.state === 'told')
    .slice(0, 3)
    .map((q) => short(inWords(q.value), 40))
    .join('; ')
const opens = (questions: SheetQuestion[]) => questions.filter((q) => q.state === 'open').length
const untold = (questions: SheetQuestion[]) => questions.filter((q) => q.state === 'untold').length
function toSection(number: number): void {
  const s = sections.value[number - 1]!
  if (sectionOpen.value === number) open.value = ''
  else
    open.value =
      (
        s.questions.find((q) => faulty.value.has(q.key)) ??
        s.questions.find((q) => q.state === 'open') ??
        s.questions[0]
      )?.key ?? ''
}
watch(open, async (key) => {
  await nextTick()
  if (key)
    document
      .querySelector(`[data-question="${CSS.escape(key)}"]`)
      ?.closest('.sections > li')
      ?.scrollIntoView({ block: 'nearest' })
})
defineExpose({ toSection })
</script>

<template>
  <ol class="sections" aria-label="Questions">
    <li v-for="s in sections" :key="s.number" :class="{ open: s.number === sectionOpen }">
      <button type="button" class="section" :aria-expanded="s.number === sectionOpen" @click="toSection(s.number)">
        <span class="pad" :data-state="s.state" :data-wrong="s.wrong || undefined"></span>
        <span class="number faded">{{ s.number }}</span>
        <span class="title">
          <b>{{ s.title }}</b>
          <span v-if="s.number !== sectionOpen" class="faded small">{{ summary(s.questions) }}</span>
        </span>
        <span class="small counts">
          <span v-if="untold(s.questions)" class="untold">{{ untold(s.questions) }} untold</span>
          <span v-if="opens(s.questions)" class="ask">{{ opens(s.questions) }} open</span>
        </span>
      </button>
      <ul v-if="s.number === sectionOpen" class="questions">
        <li
          v-for="q in s.questions.filter((x) => more || x.state !== 'left' || x.key === open || faulty.has(x.key))"
          :key="q.key"
          :data-question="q.key"
          :class="{ here: q.key === open }">
          <button
            type="button"
            class="question"
            :aria-expanded="q.key === open"
            @click="open = q.key === open ? '' : q.key">
            <SeverityMark v-if="faulty.has(q.key)" :severity="faulty.get(q.key)!.wrong ? 'stop' : 'slow'" />
            <SeverityMark v-else-if="q.state === 'open'" severity="ask" />
            <span class="ask-words"
              >{{ w.askOf(q).words }} <span v-if="q.about" class="faded">{{ q.about }}</span></span
            >
            <span v-if="q.key !== open" class="small value" :class="q.state">{{ brief(q) || 'not said' }}</span>
          </button>
          <AnswerForm v-if="q.key === open" :question="q" />
        </li>
        <li v-if="s.questions.some((q) => q.state === 'left')">
          <button type="button" class="quiet-link small" :aria-pressed="more" @click="more = !more">
            {{
              more
                ? 'Only what is said'
                : `${s.questions.filter((q) => q.state === 'left').length} more that may be told`
            }}
          </button>
        </li>
      </ul>
    </li>
  </ol>
</template>

<style scoped>
ol,
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
.sections > li {
  border-bottom: 1px solid var(--rule);
}
.sections > li.open {
  background: var(--lit);
}
.section,
.question {
  display: grid;
  width: 100%;
  border: 0;
  background: none;
  color: var(--ink);
  text-align: left;
  cursor: pointer;
  font: inherit;
}
.section {
  grid-template-columns: 18px 22px minmax(0, 1fr) auto;
  gap: 6px;
  align-items: baseline;
  padding: 8px 14px;
}
.title {
  display: grid;
  min-width: 0;
}
.pad {
  align-self: center;
  width: 12px;
  height: 12px;
  border: 1.5px solid var(--ink);
  border-radius: 50%;
}
.pad[data-state='all'] {
  background: var(--ink);
}
.pad[data-state='some'] {
  background: linear-gradient(90deg, var(--ink) 50%, transparent 0);
}
.pad[data-wrong] {
  border-color: var(--stop);
  border-radius: 1px;
}
.counts {
  display: flex;
  gap: 8px;
}
.untold {
  color: var(--risk);
}
.ask {
  color: var(--ask);
}
.questions {
  padding: 0 0 8px 46px;
}
.questions > li {
  padding: 0 14px 0 0;
}
.questions > li.here {
  padding-bottom: 12px;
}
.question {
  grid-template-columns: auto minmax(0, 1fr) minmax(0, 0.9fr);
  gap: 2px 8px;
  align-items: baseline;
  padding: 4px 0;
}
.question > :first-child:last-child,
.question > .ask-words:first-child {
  grid-column: 1 / 3;
}
.here > .question {
  font-weight: 650;
}
.here > .question {
  grid-template-columns: auto minmax(0, 1fr);
}
.here > .question .ask-words:first-child {
  grid-column: 1 / -1;
}
.value {
  color: var(--faded);
  overflow-wrap: anywhere;
  text-align: right;
}
.value.told,
.value.none {
  color: var(--ink);
}
.value.untold {
  color: var(--risk);
}
.value.open {
  color: var(--ask);
}
</style>
