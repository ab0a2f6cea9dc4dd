<script setup lang="ts">
/** The steps of a run sheet by phase; the step at hand is open, others open on a click. Messages go up. */
import { computed, nextTick, onMounted, ref, watch } from 'vue'
import type { RunStep } from '@/api/client'
import { clock } from '@/ui/words'
import SeverityMark from '@/ui/SeverityMark.vue'
import { byPhase, minutesWords, PHASES, PROOF } from './words'

const props = defineProps<{
  steps: RunStep[]
  zone: string
  /** Key of the step at hand; "" = none. */
  at: string
  /** Whether the step at hand may be ticked by whoever looks; else the slot `waits` says what is in the way. */
  may?: boolean
}>()
const emit = defineEmits<{ look: [key: string]; done: [key: string]; undone: [key: string] }>()
const open = ref(props.at)
const list = ref<HTMLElement>()
watch(
  () => props.at,
  async (key) => {
    open.value = key
    await nextTick()
    reveal()
  },
  { immediate: true },
)
/** Bring the step at hand into sight within its panel; the page itself stays where it is. */
function reveal(): void {
  const panel = list.value?.parentElement
  const line = list.value?.querySelector<HTMLElement>('.step.at')
  if (panel && line)
    panel.scrollTop += line.getBoundingClientRect().top - panel.getBoundingClientRect().top - panel.clientHeight / 3
}
onMounted(reveal)
const groups = computed(() => byPhase(props.steps))
const done = (steps: RunStep[]) => steps.filter((s) => s.done_at).length
const isDone = (steps: RunStep[]) => !!props.at && done(steps) === steps.length
/** What is left of a phase. [min] */
const rest = (steps: RunStep[]) =>
  steps
    .filter((s) => !s.done_at)
    .reduce((sum, s) => ({ low: sum.low + s.minutes.low, high: sum.high + s.minutes.high }), { low: 0, high: 0 })
/** Phases that are done are one line; what was waived, or found alone, stays in sight. */
const unfolded = ref<string[]>([])
const fold = (key: string) =>
  (unfolded.value = unfolded.value.includes(key) ? unfolded.value.filter((k) => k !== key) : [...unfolded.value, key])
function shownOf(g: { key: string; steps: RunStep[] }): RunStep[] {
  return isDone(g.steps) && !unfolded.value.includes(g.key)
    ? g.steps.filter((s) => s.proof === 'waived' || s.alone || s.key === open.value)
    : g.steps
}
function look(key: string): void {
  open.value = open.value === key ? props.at : key
  emit('look', open.value)
}
</script>

<template>
  <ol ref="list" class="phases">
    <li v-for="g in groups" :key="g.key">
      <h3>
        <svg class="mark" width="16" height="16" viewBox="-8 -8 16 16" aria-hidden="true">
          <circle r="6" :class="isDone(g.steps) ? 'full' : 'hollow'" />
          <path v-if="done(g.steps) && !isDone(g.steps)" d="M0-6A6 6 0 0 0 0 6Z" class="full" />
        </svg>
        <button
          v-if="isDone(g.steps)"
          type="button"
          class="fold"
          :aria-expanded="unfolded.includes(g.key)"
          @click="fold(g.key)">
          {{ PHASES[g.phase] ?? g.phase }}
        </button>
        <span v-else>{{ PHASES[g.phase] ?? g.phase }}</span>
        <span class="faded small">{{ at ? `${done(g.steps)} of ${g.steps.length}` : '' }}</span>
        <span class="faded small when">{{
          isDone(g.steps)
            ? `${clock(g.steps[0]!.done_at!, zone)} to ${clock(g.steps.at(-1)!.done_at!, zone)}`
            : minutesWords(rest(g.steps))
        }}</span>
      </h3>
      <ol class="steps">
        <li
          v-for="s in shownOf(g)"
          :key="s.key"
          class="step"
          :class="{ done: s.done_at, at: s.key === at, open: s.key === open, hold: s.hold }">
          <button type="button" class="line" :aria-expanded="s.key === open" @click="look(s.key)">
            <span class="number">{{ s.number }}</span>
            <SeverityMark v-if="s.proof" class="proved" :severity="PROOF[s.proof]?.mark ?? 'ask'" :size="13" />
            <span v-else class="box" aria-hidden="true">{{ s.done_at ? '✓' : '' }}</span>
            <span class="text"><b v-if="s.hold" class="held">Hold</b> {{ s.text }}</span>
            <span class="faded small when">{{
              s.done_at
                ? `${s.proof === 'waived' ? 'waived ' : ''}${clock(s.done_at, zone)}, ${s.done_by}${s.alone ? ', alone' : ''}`
                : s.proof
                  ? PROOF[s.proof]?.word
                  : minutesWords(s.minutes)
            }}</span>
          </button>
          <div v-if="s.key === open" class="more">
            <p v-if="s.not_right !== null" class="wrong small">
              Found not right{{ s.not_right ? `: ${s.not_right}` : '' }}
            </p>
            <p v-if="s.proof" class="small proof-words">
              <b>{{ PROOF[s.proof]?.word }}:</b> {{ s.proof_words }}
            </p>
            <p v-if="s.alone" class="small hint">Nobody else looked: {{ s.alone }}</p>
            <p v-if="s.why" class="faded small">{{ s.why }}</p>
            <p v-if="s.tools.length" class="small">With: {{ s.tools.join(', ') }}</p>
            <ul v-if="s.details.length" class="small">
              <li v-for="d in s.details" :key="d">{{ d }}</li>
            </ul>
            <ul v-if="s.checks.length" class="small checks" :class="{ looked: s.done_at }">
              <li v-for="c in s.checks" :key="c">{{ s.done_at ? '✓ ' : '' }}{{ c }}</li>
            </ul>
            <details v-if="s.hold" class="small">
              <summary>The way back from here</summary>
              <ol>
                <li v-for="w in s.back_out" :key="w">{{ w }}</li>
              </ol>
            </details>
            <slot v-if="s.key === at && !may" name="waits" :step="s" />
            <div v-if="at" class="acts">
              <button type="button" class="press slim" v-if="s.key === at && may" @click="emit('done', s.key)">
                Done, next
              </button>
              <button v-if="s.done_at && !s.proves" type="button" class="quiet-link" @click="emit('undone', s.key)">
                Take the tick back
              </button>
            </div>
          </div>
        </li>
      </ol>
    </li>
  </ol>
</template>

<style scoped>
ol.phases,
ol.steps {
  list-style: none;
  margin: 0;
  padding: 0;
}
h3 {
  display: flex;
  gap: 8px;
  align-items: baseline;
  margin: 12px 0 4px;
  padding-left: 27px;
  font-size: 15px;
  font-weight: 650;
  color: var(--ink);
}
h3 .when {
  margin-left: auto;
  font-weight: 400;
}
.mark {
  flex: none;
  align-self: center;
}
.full {
  fill: var(--ink);
}
.hollow {
  fill: var(--sheet);
  stroke: var(--ink);
  stroke-width: 2;
}
.fold {
  font-weight: 650;
  color: inherit;
}
.fold:hover {
  color: var(--umber);
}
.step {
  border-top: 1px solid var(--rule);
}
.line {
  display: grid;
  grid-template-columns: 24px 18px minmax(0, 1fr) auto;
  gap: 8px;
  align-items: baseline;
  width: 100%;
  padding: 5px 4px;
  text-align: left;
  font: inherit;
  color: inherit;
}
.line:hover {
  background: var(--lit);
}
.number {
  text-align: right;
  color: var(--faded);
  font-size: 13px;
}
/* A contact: empty, or made. */
.box {
  width: 9px;
  height: 15px;
  margin-left: 3px;
  border: 1.5px solid var(--brass);
  font-size: 0;
  align-self: center;
}
.done .box {
  background: var(--umber);
  border-color: var(--umber);
}
.done .text {
  color: var(--faded);
}
.at > .line {
  font-weight: 650;
}
.at {
  border-left: 3px solid var(--umber);
  background: var(--paper);
}
.held {
  font-size: 12px;
  padding: 0 6px;
  margin-right: 2px;
  border: 1.5px solid var(--umber);
  border-radius: 3px;
  color: var(--umber);
}
.when {
  font-weight: 400;
  white-space: nowrap;
}
.more {
  padding: 0 8px 10px 62px;
}
.more p {
  margin: 2px 0;
}
.more ul,
.more ol {
  margin: 2px 0;
  padding-left: 18px;
}
.checks {
  list-style: square;
}
.checks.looked {
  list-style: none;
  padding-left: 0;
  color: var(--go);
}
.proved {
  align-self: center;
}
.hint {
  color: var(--ask);
}
.acts {
  display: flex;
  gap: 14px;
  align-items: center;
  margin-top: 6px;
}
</style>
