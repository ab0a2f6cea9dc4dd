<script setup lang="ts">
/** The verdict: total now and after, need, figures, findings worst first, the tightest limit, what is done and what comes next. */
import { computed, ref } from 'vue'
import type { Board, Cure, Evaluation, Finding, More, Question, Worth } from '@/api/client'
import { counted, gbDown, gbUp, percent } from '@/ui/figures'
import SeverityMark from '@/ui/SeverityMark.vue'
import VerdictWord from '@/ui/VerdictWord.vue'
import { likeWords } from '../worth'
import AnswerFirst from './AnswerFirst.vue'
import FindingList from './FindingList.vue'
import LimitList from './LimitList.vue'
import NeedLine from './NeedLine.vue'
import type { NextStep } from './next'
import VerdictFigures from './VerdictFigures.vue'

const props = defineProps<{
  now: Evaluation
  goal: Evaluation
  done: { label: string; words: string }[]
  cures: (Cure | null)[]
  board: Board
  questions: Question[]
  mayAnswer: boolean
  machineId: string
  /** Hash of its model's sheet. */ sheet: string
  today?: Evaluation['verdict'] | null
  proved?: Evaluation['verdict'] | null
  need?: number | null
  /** A plan, of which cost and trouble are told once they are worked out. */ valued?: boolean
  worth?: Worth
  more?: More | null
  looking?: boolean
  next?: NextStep[]
}>()
defineEmits<{
  more: [more: More]
  point: [finding: Finding | null]
  cure: [cure: Cure]
  answer: [facts: Question['answers'][number]['facts'], byPart: boolean]
}>()

/** Where nobody tells what the machine keeps for itself, its usable total is no more than what is fitted. */
const atMost = computed(() => (props.goal.tolerance_gib === null && !props.goal.not_counted ? 'at most ' : ''))
const showHeld = ref(false)

/** What was open or at risk when the work began, the machine has answered. */
const verdict = computed(() => (props.proved ? { verdict: props.proved } : props.goal))
</script>

<template>
  <section class="panel verdict" aria-labelledby="verdict-title">
    <div class="head">
      <h2 id="verdict-title">Verdict</h2>
      <VerdictWord class="word" :of="verdict" :proved="Boolean(proved)" :size="15" />
    </div>
    <p class="total">
      <template v-if="goal.installed_gib !== now.installed_gib">
        <span class="was">{{ counted(now.installed_gib, now.not_counted) }}</span>
        <span class="arrow" aria-label="to">→</span>
      </template>
      <strong>{{ counted(goal.installed_gib, goal.not_counted) }}</strong> <span class="unit">GB</span>
      <span class="beside faded">
        <span class="whole">usable {{ atMost.trim() }}</span
        >{{ ' ' }}
        <b>{{ counted(goal.usable_gib, goal.not_counted, gbDown) }}</b>
        <template v-if="goal.tolerance_gib"><br />± {{ gbUp(goal.tolerance_gib) }}</template>
      </span>
    </p>
    <NeedLine
      v-if="need"
      v-bind="{ now, goal, need, atMost, mayAnswer, machineId, more, looking }"
      @more="$emit('more', $event)" />
    <VerdictFigures v-bind="{ now, goal, valued, worth }" />
    <div class="scrolling" tabindex="0" role="group" aria-label="Findings and limits">
      <AnswerFirst
        v-if="questions.length"
        :questions="questions"
        :may-answer="mayAnswer"
        :machine-id="machineId"
        :sheet="sheet"
        @answer="(facts, byPart) => $emit('answer', facts, byPart)" />
      <h2>Findings</h2>
      <FindingList
        :findings="goal.findings"
        :cures="cures"
        :board="board"
        @point="$emit('point', $event)"
        @cure="$emit('cure', $event)" />
      <div class="held">
        <span
          ><SeverityMark severity="go" /> {{ goal.held.length }}
          {{ goal.held.length === 1 ? 'rule holds' : 'rules hold' }}</span
        >
        <button type="button" class="quiet-link" :aria-expanded="showHeld" @click="showHeld = !showHeld">
          {{ showHeld ? 'hide' : 'show' }}
        </button>
      </div>
      <p v-if="showHeld" class="mono codes">{{ goal.held.join(', ') }}</p>
      <LimitList :of="goal.limits" />
      <template v-if="done.length || $slots['runs-with']">
        <h2>What is done</h2>
        <dl class="done">
          <template v-if="$slots['runs-with']">
            <dt>runs with</dt>
            <dd>
              <slot name="runs-with" /><small v-if="today"
                >with what runs today: <VerdictWord :of="{ verdict: today }" :size="11"
              /></small>
            </dd>
          </template>
          <template v-if="$slots['stages']">
            <dt>fitted</dt>
            <dd><slot name="stages" /></dd>
          </template>
          <template v-for="c in done" :key="c.label + c.words">
            <dt>{{ c.label }}</dt>
            <dd>{{ c.words }}</dd>
          </template>
        </dl>
      </template>
      <!-- It comes later, so it stands last. -->
      <template v-if="worth?.rests_on.length">
        <h2>Rests on what nobody vouches for</h2>
        <p v-for="w in worth.rests_on" :key="w" class="rests small">{{ w }}</p>
        <p class="rests small">
          Quirks {{ percent(worth.quirks) }}: it runs, and something is shown oddly; that is no trouble.
        </p>
      </template>
      <p v-if="worth && likeWords(worth)" class="rests small faded">{{ likeWords(worth) }}</p>
    </div>
    <ol v-if="next?.length" class="next" aria-label="Next">
      <li class="title" aria-hidden="true">Next</li>
      <li v-for="(n, i) in next" :key="n.words" :class="{ first: i === 0 }">
        <i aria-hidden="true"></i
        ><router-link v-if="n.to" class="quiet-link" :to="`/machines/${machineId}/${n.to}`">{{ n.words }}</router-link
        ><span v-else>{{ n.words }}</span>
      </li>
    </ol>
  </section>
</template>

<style scoped>
.need {
  padding: 2px 0 8px;
}
.verdict {
  display: flex;
  flex-direction: column;
  padding: 12px 12px 10px 16px;
  min-height: 0;
}
.head {
  display: flex;
  justify-content: space-between;
}
.word {
  justify-content: flex-end;
  text-align: right;
}
.next {
  display: flex;
  list-style: none;
  margin: 0 -12px 0 -16px;
  padding: 10px 12px 2px 16px;
  border-top: 1px solid var(--rule);
  font-size: 13px;
}
.next li {
  position: relative;
  flex: 1;
  padding: 14px 6px 0 0;
  color: var(--faded);
  line-height: 1.25;
}
.next .title {
  flex: 0 0 50px;
  padding-top: 0;
  color: var(--ink);
  font-weight: 650;
}
.next li + li::before {
  content: '';
  position: absolute;
  left: 0;
  right: 0;
  top: 6px;
  height: 2px;
  background: var(--brass);
}
.next li:last-child::before {
  right: auto;
  width: 6px;
}
.next i {
  position: absolute;
  left: 0;
  top: 1px;
  width: 11px;
  height: 11px;
  border: 2px solid var(--ink);
  border-radius: 50%;
  background: var(--sheet);
}
.next .first {
  color: var(--umber);
  font-weight: 650;
}
.next .first i {
  border-color: var(--umber);
}
.total {
  display: flex;
  align-items: baseline;
  gap: 6px;
  margin: 4px 0 6px;
  padding-bottom: 8px;
  border-bottom: 1px solid var(--rule);
}
.total strong {
  font-size: 36px;
  line-height: 1;
}
@media (max-width: 1100px) {
  .total strong {
    font-size: 31px;
  }
}
.was,
.arrow {
  font-size: 23px;
  color: var(--faded);
}
.unit {
  font-size: 17px;
  color: var(--faded);
}
.beside {
  margin-left: auto;
  font-size: 13px;
  line-height: 1.25;
  text-align: right;
  align-self: center;
}
.whole {
  white-space: nowrap;
}
dt {
  color: var(--faded);
}
dd {
  margin: 0;
}
dd small {
  display: block;
  font-size: 12.5px;
  color: var(--faded);
}
.rests {
  margin: 0;
  padding: 2px 8px;
}
.scrolling {
  overflow-y: auto;
  min-height: 0;
  margin: 2px -6px 0 -8px;
}
.scrolling h2 {
  padding: 8px 8px 2px;
}
.held {
  display: flex;
  justify-content: space-between;
  padding: 5px 8px;
  font-size: 14px;
}
.held span {
  display: flex;
  gap: 9px;
  align-items: center;
  color: var(--go);
  font-weight: 600;
}
.codes {
  margin: 0;
  padding: 0 8px 6px;
  font-size: 12px;
  color: var(--faded);
}
.done {
  display: grid;
  gap: 3px 8px;
  grid-template-columns: 62px minmax(0, 1fr);
  padding: 0 8px;
  border: 0;
  margin-bottom: 2px;
  font-size: 13px;
}
</style>
