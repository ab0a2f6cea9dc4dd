<script setup lang="ts">
/** The board as it stands so far, what is at the slot that was touched, and what will be asked later. */
import { computed, nextTick, ref, watch } from 'vue'
import type { Occupant } from '@/api/client'
import BoardView from '@/board/BoardView.vue'
import { moduleWords } from '@/board/state'
import type { useHand } from '@/stations/fit/hand'
import { counted, gb } from '@/ui/figures'
import FieldFault from '@/ui/FieldFault.vue'
import SeverityMark from '@/ui/SeverityMark.vue'
import { plural } from '@/ui/words'
import ReportMapping from '../ReportMapping.vue'
import TextAnswer from '@/ui/TextAnswer.vue'
import type { Making } from './making'

const props = defineProps<{ making: Making; hand: ReturnType<typeof useHand> }>()
const m = props.making
const touched = ref('')
const view = ref<InstanceType<typeof BoardView>>()
const field = ref<InstanceType<typeof TextAnswer>>()
const built = computed(() => !m.said.sheet)
const index = computed(() => m.slots.value.indexOf(touched.value))
const here = computed<Occupant | undefined>(() => m.layout.value[touched.value])
const total = computed(() =>
  Object.values(m.layout.value).reduce((sum, x) => sum + (x === 'unknown' ? 0 : (x.capacity_gib ?? 0)), 0),
)
/** Modules of which nobody told the size. */
const unsized = computed(() => Object.values(m.layout.value).filter((x) => x !== 'unknown' && !x.capacity_gib).length)
const filled = computed(() => Object.values(m.layout.value).filter((x) => x !== 'unknown').length)
const untold = computed(() => m.slots.value.filter((s) => m.layout.value[s] === 'unknown').length)
const limit = computed(() => (built.value ? m.said.answers.limit_gib : null))
const hasReport = computed(() => m.reports.value.length > 0)
/** Slots of the board that no report is given to, though it shows all that there are. */
const lit = computed(
  () =>
    new Map(
      built.value && hasReport.value
        ? m.slots.value
            .filter((s) => !reported.value.has(s) && !m.said.leftOut.includes(s))
            .map((s) => [s, 'ask' as const])
        : [],
    ),
)
const reported = computed(() => new Set(Object.values(m.slotOf.value)))
const spare = computed(() => m.reports.value.filter((r, i) => r.state !== 'soldered' && !m.slotOf.value[i]).length)
/** Processors of the report, where it tells another number of them than the board has. */
const otherSockets = computed(() => {
  const told = m.said.intake?.reading.processors.length ?? 0
  return built.value && told && told !== m.said.answers.processors ? told : 0
})
const matched = computed(() => new Set(m.named.value.flatMap((slot, i) => (slot ? [i] : []))))

const HARMS = [
  { harm: 'stop', words: 'Could stop it', when: 'asked where a plan hangs on it', mark: 'stop' },
  { harm: 'slow', words: 'Could slow it', when: 'asked where a plan hangs on it', mark: 'slow' },
  { harm: 'cost', words: 'Could cost the warranty, or protection', when: 'asked before the run sheet', mark: 'risk' },
] as const
const groups = computed(() =>
  HARMS.map((h) => ({ ...h, facts: (m.built.value?.open ?? []).filter((f) => f.harm === h.harm) })).filter(
    (g) => g.facts.length,
  ),
)

function enter(slot: string): void {
  if (props.hand.held.value) props.hand.put(slot)
  else {
    touched.value = touched.value === slot ? '' : slot
    if (touched.value) void nextTick(() => field.value?.focus())
  }
}
function rename(name: string): void {
  void m.ofSlots([touched.value], ([at]) => {
    const a = m.said.answers
    const names = m.slots.value.map((_, i) => a.names[i] ?? '')
    names[at!] = name.trim()
    return { ...a, names }
  })
}
function behind(event: Event): void {
  const front = m.slots.value[Number((event.target as HTMLSelectElement).value)]
  void m.ofSlots([touched.value, ...(front ? [front] : [])], ([at, before]) => {
    const a = m.said.answers
    const rest = a.behind.filter(([one]) => one !== at)
    return { ...a, behind: before === undefined ? rest : [...rest, [at!, before]] }
  })
}
// A slot that was renamed stays the one that is touched.
watch(m.slots, (now, before) => {
  const at = before?.indexOf(touched.value) ?? -1
  if (touched.value && !now.includes(touched.value)) touched.value = now[at] ?? ''
})
function emptyRest(): void {
  for (const slot of m.slots.value) if (m.layout.value[slot] === 'unknown') m.setSlot(slot, null)
}
defineExpose({ focus: () => view.value?.focus() })
</script>

<template>
  <div class="side">
    <template v-if="m.board.value">
      <div class="figures">
        <p>
          <b>{{ counted(total, unsized) }}</b> GB seen, {{ filled }} of {{ plural(m.slots.value.length, 'slot') }}
        </p>
        <p v-if="limit">
          <b>{{ gb(limit) }}</b> GB says
          {{ m.said.answers.limit_by === 'report' ? 'its own tables' : `the ${m.said.answers.limit_by ?? '?'}` }}
        </p>
        <button v-if="untold" type="button" class="quiet-link" @click="emptyRest">
          The other {{ untold === 1 ? 'slot is' : `${untold} are` }} empty
        </button>
      </div>
      <div class="picture">
        <BoardView
          ref="view"
          :board="m.board.value"
          :now="m.layout.value"
          :goal="m.layout.value"
          :lit="lit"
          interactive
          @enter="enter"
          @remove="m.setSlot($event, null)"
          @escape="hand.letGo()"
          @grab="(slot, event) => hand.press(event, m.layout.value[slot], slot, () => enter(slot))" />
      </div>
      <p v-if="hand.held.value" class="small told" role="status">
        In hand: <b>{{ moduleWords(hand.held.value.module) }}</b>; click each slot that holds one, or go there by the
        arrow keys and press Enter. Esc lets go.
      </p>
      <div v-else-if="touched" class="slot" role="group" :aria-label="`Slot ${touched}`">
        <p>
          <b class="mono">{{ touched }}</b>{{ ' ' }}
          <span class="faded">{{ here === 'unknown' ? 'not looked at' : here ? moduleWords(here) : 'empty' }}</span>
        </p>
        <label v-if="built" class="small faded"
          >printed
          <TextAnswer ref="field" :value="touched" class="mono" :most="60" label="Printed at this slot" @said="rename"
        /></label>
        <FieldFault :of="m.odd.value" name="names" />
        <FieldFault :of="m.odd.value" name="behind" />
        <label v-if="built && m.slots.value.length > 1" class="small faded">
          lies behind
          <select
            :value="m.said.answers.behind.find(([one]) => one === index)?.[1] ?? -1"
            aria-label="Lies behind"
            @change="behind">
            <option :value="-1">none</option>
            <option
              v-for="(s, i) in m.slots.value.filter((x) => x !== touched)"
              :key="i"
              :value="m.slots.value.indexOf(s)">
              {{ s }}
            </option>
          </select>
        </label>
        <button type="button" class="quiet-link" @click="m.setSlot(touched, null)">It is empty</button>
        <button type="button" class="quiet-link" @click="m.setSlot(touched, undefined)">
          {{ m.reports.value.length ? 'As reported' : 'Not looked at' }}
        </button>
      </div>
      <div v-if="built && (spare || lit.size || otherSockets) && hasReport" class="odd small" role="alert">
        Answers and report differ:
        {{
          [
            otherSockets &&
              `the report tells ${plural(otherSockets, 'processor')}, the board has ${m.said.answers.processors}`,
            spare && `${plural(spare, 'reported slot')} ${spare === 1 ? 'has' : 'have'} no place on the board`,
            lit.size && `${plural(lit.size, 'slot')} of the board ${lit.size === 1 ? 'is' : 'are'} not reported`,
          ]
            .filter(Boolean)
            .join(', ')
        }}. Say which is which below, slot by slot<template v-if="!m.draftable.value"
          >, or
          <button type="button" class="quiet-link" @click="m.asReported">
            build it as the report has it
          </button></template
        ><template v-else
          >, or <button type="button" class="quiet-link" @click="m.draft">draft it from the report</button></template
        >.
      </div>
      <ReportMapping
        v-if="hasReport"
        v-model="m.slotOf.value"
        :reports="m.reports.value"
        :slots="m.board.value.slots"
        :matched="matched" />
      <section v-if="built && groups.length" class="later" aria-label="What will be asked later">
        <h2>
          What will be asked later, worst first
          <span class="faded small"
            >{{ m.built.value!.told }} of {{ m.built.value!.told + m.built.value!.open.length }} facts told,
            <b class="ask">{{ m.built.value!.open.length }} open</b></span
          >
        </h2>
        <div v-for="g in groups" :key="g.harm" class="harm">
          <SeverityMark :severity="g.mark" />
          <div>
            <p>
              <b>{{ g.facts.length }}</b> <strong>{{ g.words }}</strong>{{ ' ' }}
              <span class="faded small when">{{ g.when }}</span>
            </p>
            <p class="small">
              {{ g.facts[0]!.what[0]!.toUpperCase() + g.facts[0]!.what.slice(1) }}?
              <span class="faded">{{ g.facts[0]!.where[0]!.toUpperCase() + g.facts[0]!.where.slice(1) }}.</span>
            </p>
            <details v-if="g.facts.length > 1" class="small">
              <summary>{{ g.facts.length - 1 }} more</summary>
              <ul>
                <li v-for="f in g.facts.slice(1)" :key="f.fact">{{ f.what }}</li>
              </ul>
            </details>
          </div>
        </div>
      </section>
    </template>
    <p v-else-if="m.draftable.value" class="faded empty">
      Answers cannot say the board that the report shows.
      <button type="button" class="quiet-link" @click="m.draft">Draft it from the report</button>, or build it at the
      left.
    </p>
    <p v-else class="faded empty">
      Answer anything at the left, type a label, or drop a report: the board is drawn here from the first answer on.
    </p>
  </div>
</template>

<style scoped>
.side {
  min-width: 0;
}
p {
  margin: 0;
}
.figures {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
  align-items: baseline;
  padding: 10px 16px 0;
}
.figures b {
  font-size: 22px;
}
.figures button {
  margin-left: auto;
}
.picture {
  height: min(400px, 52vh);
  min-height: 240px;
  padding: 4px 12px;
}
.told,
.slot,
.odd {
  margin: 4px 16px 8px;
}
.slot {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 16px;
  align-items: center;
}
.slot input {
  width: 130px;
}
.odd {
  padding-left: 10px;
  border-left: 3px solid var(--ask);
}
.later {
  padding: 10px 16px 4px;
  border-top: 1px solid var(--rule);
}
.later h2 span {
  float: right;
  font-weight: 400;
}
.ask {
  color: var(--ask);
}
.harm {
  display: grid;
  grid-template-columns: 16px minmax(0, 1fr);
  gap: 8px;
  padding: 7px 0;
  border-bottom: 1px solid var(--rule);
}
.harm p b {
  font-size: 17px;
  margin-right: 4px;
}
.when {
  float: right;
}
details ul {
  margin: 2px 0 0;
  padding-left: 18px;
}
summary {
  color: var(--umber);
  cursor: pointer;
}
.empty {
  margin: auto;
  padding: 60px 40px;
  text-align: center;
}
</style>
