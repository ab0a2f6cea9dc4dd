<script setup lang="ts">
/** What is in the machine now, from where and since when; what is not known is visibly missing. */
import { computed, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, type Finding, type Intake, type MachineView, type Severity } from '@/api/client'
import BoardView from '@/board/BoardView.vue'
import BySocket from '@/board/BySocket.vue'
import { moduleWords } from '@/board/state'
import { counted, gb, unbroken } from '@/ui/figures'
import { age, isOld, moment, plural } from '@/ui/words'
import FindingList from './fit/FindingList.vue'
import { litBy, severityBySlot } from './fit/findings'
import { aboutLines } from '@/machines/about'
import { session } from '@/frame/session'
import DifferenceView from './survey/DifferenceView.vue'
import SeenElsewhere from './survey/SeenElsewhere.vue'
import DriveBays from './survey/DriveBays.vue'
import KnownParts from './survey/KnownParts.vue'
import TakeIn from './survey/TakeIn.vue'
import { healthWords, INITIALS, KINDS } from './survey/words'
import SlotFacts from './SlotFacts.vue'
import { useMachine } from './machine'

const { machine, reload } = useMachine()
const open = ref('')
const openSlot = computed(() => machine.value.board.slots.find((s) => s.id === open.value))
function saved(changed: MachineView): void {
  machine.value = changed
  void reload()
}
const pointed = ref<Finding | null>(null)
const evaluation = computed(() => machine.value.evaluation)
const lit = computed(() => litBy(pointed.value))
const severities = computed(() => severityBySlot(evaluation.value.findings))

const taking = ref(false)
const intake = shallowRef<Intake | null>(null)
// A report that was read with many others, or answered when all were asked.
const route = useRoute()
watch(
  () => route.query.intake,
  async (key) => {
    if (typeof key === 'string')
      intake.value = await ask(api.GET('/api/intakes/{intake_id}', { params: { path: { intake_id: key } } }))
  },
  { immediate: true },
)
// A slot that a question elsewhere is about.
watch(
  () => route.query.slot,
  (slot) => {
    if (typeof slot === 'string') open.value = slot
  },
  { immediate: true },
)
const compared = ref<string | null>(null)
const disputed = computed(() => Object.keys(machine.value.survey.disputed))
/** Slots to light: the open one, the one compared, else what a finding points at, else what is disputed. */
const shownLit = computed<Map<string, Severity | 'plain'>>(() => {
  if (compared.value) return new Map([[compared.value, 'plain']])
  if (open.value) return new Map([[open.value, 'plain']])
  return lit.value.size ? lit.value : new Map(disputed.value.map((s) => [s, 'ask']))
})
const sideWidth = computed(() => (intake.value ? '520px' : '340px'))
const router = useRouter()
function leaveReport(): void {
  intake.value = null
  if (route.query.intake) void router.replace({ query: {} })
}
function kept(changed: MachineView): void {
  leaveReport()
  taking.value = false
  compared.value = null
  saved(changed)
}
/** Slots that are known by the newest survey; of the others it holds what was known before. */
const byNewest = computed(
  () => Object.values(machine.value.survey.sources).filter((s) => s.at === machine.value.survey.taken_at).length,
)
/** Sources of what is known of the slots, each once. */
const kinds = computed(() => [...new Set(Object.values(machine.value.survey.sources).map((s) => s.kind))].sort())
const told = computed(() => machine.value.survey.told)
const byNumber = new Intl.Collator('en', { numeric: true })
const rows = computed(() =>
  [...machine.value.board.slots]
    .sort((a, b) => byNumber.compare(a.printed, b.printed))
    .map((slot) => {
      const occupant = machine.value.slots[slot.id]
      return {
        id: slot.id,
        printed: slot.printed,
        source: machine.value.survey.sources[slot.id],
        disputed: slot.id in machine.value.survey.disputed,
        failed: machine.value.failed.includes(slot.id),
        health: healthWords(machine.value.survey.health[slot.id]),
        counted: !!machine.value.survey.health[slot.id]?.uncorrectable,
        words: occupant === undefined ? 'empty' : occupant === 'unknown' ? 'not known' : moduleWords(occupant),
        part: occupant && occupant !== 'unknown' ? [occupant.maker, occupant.part].filter(Boolean).join(' ') : '',
        state: occupant === undefined ? 'empty' : occupant === 'unknown' ? 'unknown' : 'filled',
      }
    }),
)
</script>

<template>
  <div class="survey">
    <section class="panel board-panel" aria-labelledby="survey-board">
      <div class="caption">
        <h2 id="survey-board">As it is</h2>
        <span class="faded small">
          {{ KINDS[machine.survey.kind] ?? machine.survey.kind }},
          {{ moment(machine.survey.taken_at, machine.zone) }} (<strong v-if="isOld(machine.survey.taken_at)" class="old"
            >{{ age(machine.survey.taken_at) }}, old</strong
          ><template v-else>{{ age(machine.survey.taken_at) }}</template
          >), taken in by {{ machine.survey.taken_by ?? 'nobody known'
          }}<template v-if="byNewest < machine.survey.total"
            >; {{ byNewest || 'none' }} of {{ machine.survey.total }} slots by it</template
          >
        </span>
        <span v-if="session.mayWrite()" class="faded small hint">click a slot to put it right</span>
        <button v-if="session.mayWrite()" type="button" class="quiet-link" @click="taking = true">
          Survey it again
        </button>
      </div>
      <BySocket
        v-slot="{ socket }"
        :board="machine.board"
        :now="machine.slots"
        :goal="machine.slots"
        :slot_="open || [...shownLit.keys()][0]">
        <div class="picture">
          <BoardView
            :socket="socket"
            :board="machine.board"
            :now="machine.slots"
            :goal="machine.slots"
            :lit="shownLit"
            :severities="severities"
            :failed="machine.failed"
            :interactive="session.mayWrite()"
            @enter="open = $event"
            @escape="open = ''"
            @press="open = $event" />
        </div>
      </BySocket>
    </section>
    <TakeIn
      v-if="taking && !intake"
      class="side"
      :machine="machine"
      @taken="intake = $event"
      @changed="saved"
      @leave="taking = false" />
    <DifferenceView
      v-else-if="intake"
      :key="intake.id"
      class="side"
      :machine="machine"
      :intake="intake"
      @taken="intake = $event"
      @saved="kept"
      @leave="leaveReport"
      @point="compared = $event" />
    <section v-else class="panel facts" aria-labelledby="survey-facts">
      <p v-if="disputed.length" class="disputes" role="status">
        <strong>{{ plural(disputed.length, 'slot is', 'slots are') }} disputed</strong>:
        <button v-for="s in disputed" :key="s" type="button" class="quiet-link" @click="open = s">
          {{ machine.board.slots.find((x) => x.id === s)?.printed }}
        </button>
      </p>
      <SeenElsewhere :machine="machine" @point="open = $event" />
      <SlotFacts v-if="openSlot" :key="open" :machine="machine" :slot_="openSlot" @saved="saved" @leave="open = ''" />
      <h2 id="survey-facts">What is known</h2>
      <p class="total">
        <strong>{{ counted(evaluation.installed_gib, evaluation.not_counted) }}</strong> GB installed
        <span v-if="evaluation.not_counted" class="faded small"
          >of {{ plural(evaluation.not_counted, 'slot') }} nobody knows how much</span
        >
        <span v-else class="faded small"
          >{{ evaluation.tolerance_gib === null ? 'at most' : 'about' }} {{ gb(evaluation.usable_gib) }} usable</span
        >
      </p>
      <p v-if="told" class="small told" :class="{ disputes: told.conflict }">
        <strong v-if="told.conflict">Does not agree: {{ told.conflict }}</strong>
        <template v-else
          >It tells
          {{
            told.installed_gib ? `${gb(told.installed_gib)} GB installed` : `${gb(told.usable_gib ?? 0)} GB usable`
          }}</template
        >
        <span class="faded"> ({{ KINDS[told.kind] ?? told.kind }}, {{ age(told.at) }})</span>
      </p>
      <dl>
        <dt>Firmware</dt>
        <dd :class="{ missing: !machine.facts.firmware }">{{ machine.facts.firmware ?? 'not known' }}</dd>
        <template v-for="s in machine.board.sockets" :key="s.id">
          <dt>{{ s.id }}</dt>
          <dd :class="{ missing: s.processor === null }">
            {{ s.processor === null ? 'not known' : s.processor === '' ? 'no processor' : s.processor }}
          </dd>
        </template>
        <dt>System</dt>
        <dd :class="{ missing: !machine.facts.os_bits && !machine.facts.system }">
          {{
            [machine.facts.system, machine.facts.os_bits && `${machine.facts.os_bits} bits`]
              .filter(Boolean)
              .join(', ') || 'not known'
          }}
        </dd>
        <template v-for="l in aboutLines(machine.about)" :key="l.name">
          <dt>{{ l.heading }}</dt>
          <dd :class="{ missing: l.isUntold, mono: l.mono }">{{ l.words }}</dd>
        </template>
        <template v-if="machine.survey.running_mts">
          <dt>It runs</dt>
          <dd>at {{ machine.survey.running_mts }} MT/s <span class="faded small">as its firmware set it</span></dd>
        </template>
        <template v-if="machine.survey.claimed_gib">
          <dt>It claims</dt>
          <dd>{{ gb(machine.survey.claimed_gib) }} GB at most <span class="faded small">as its firmware says</span></dd>
        </template>
      </dl>
      <KnownParts :machine="machine" :may-write="session.mayWrite()" @saved="saved" />
      <ul class="legend small faded" aria-label="Where that is known from">
        <li v-for="kind in kinds" :key="kind">
          <b>{{ INITIALS[kind] ?? '?' }}</b> {{ KINDS[kind] ?? kind }}:
          {{ machine.survey.sure[kind] ?? 'not known how sure' }}
        </li>
      </ul>
      <table>
        <thead>
          <tr>
            <th scope="col">slot</th>
            <th scope="col">holds</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="row in rows" :key="row.id" :class="row.state">
            <th scope="row" class="mono">{{ row.printed }}</th>
            <td>
              <span
                class="initial"
                :title="`${KINDS[row.source?.kind ?? ''] ?? row.source?.kind}, ${age(row.source?.at ?? '')}`"
                >{{ INITIALS[row.source?.kind ?? ''] ?? '?' }}</span
              >
              {{ unbroken(row.words) }}<strong v-if="row.disputed" class="disputed-mark"> disputed</strong
              ><strong v-if="row.failed" class="failed"> failed</strong
              ><span v-if="row.part" class="mono faded part">{{ row.part }}</span
              ><span v-if="row.health" class="small health" :class="row.counted ? 'failed' : 'faded'">{{
                row.health
              }}</span>
            </td>
          </tr>
        </tbody>
      </table>
      <DriveBays v-if="machine.bays.length" :machine="machine" :may-write="session.mayWrite()" @saved="saved" />
      <h2>What that means</h2>
      <FindingList :findings="evaluation.findings" @point="pointed = $event" />
      <router-link class="quiet-link" :to="`/machines/${machine.id}/fit`">Plan a change in Fit</router-link>
    </section>
  </div>
</template>

<style scoped>
.survey {
  display: grid;
  grid-template-columns: minmax(0, 1fr) v-bind(sideWidth);
  gap: 12px;
  padding: 10px 16px 12px 12px;
  min-height: 0;
}
.board-panel {
  display: grid;
  grid-template-rows: auto minmax(0, 1fr);
  min-height: 420px;
}
.caption {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  align-items: baseline;
  padding: 10px 16px 0;
}
.picture {
  min-height: 0;
  padding: 4px 12px 12px;
  max-height: calc(100vh - 160px);
}
.facts {
  padding: 12px 16px;
  display: grid;
  gap: 8px;
  align-content: start;
  max-height: calc(100vh - 120px);
  overflow: auto;
}
.total {
  margin: 0;
}
.total strong {
  font-size: 28px;
}
dl {
  display: grid;
  grid-template-columns: 90px 1fr;
  gap: 2px 8px;
  margin: 0;
  font-size: 14px;
}
dt {
  color: var(--faded);
}
dd {
  margin: 0;
}
.missing,
.unknown td {
  color: var(--ask);
  text-decoration: underline dashed 1px;
  text-underline-offset: 3px;
}
table {
  border-collapse: collapse;
  font-size: 13px;
}
thead th {
  color: var(--faded);
  font-weight: 400;
  text-align: left;
}
tbody tr {
  border-top: 1px solid var(--rule);
}
tbody th {
  text-align: left;
  font-weight: 600;
  padding: 3px 12px 3px 0;
  white-space: nowrap;
}
td {
  padding: 3px 0;
}
.empty td {
  color: var(--faded);
}
.side {
  max-height: calc(100vh - 120px);
  overflow: auto;
}
.disputes {
  margin: 0;
  padding: 6px 10px;
  border-left: 3px solid var(--ask);
  background: var(--lit);
}
.disputes button {
  margin-left: 8px;
}
.disputed-mark {
  color: var(--ask);
}
.initial {
  display: inline-block;
  width: 16px;
  color: var(--faded);
  font-size: 11px;
}
.failed {
  color: var(--stop);
}
.old {
  color: var(--slow);
}
.told,
.legend {
  margin: 0;
}
.legend {
  padding: 0;
  list-style: none;
}
.health {
  margin-left: 8px;
}
.hint {
  margin-left: auto;
}
.part {
  display: block;
  font-size: 12px;
}
@media (max-width: 900px) {
  .survey {
    grid-template-columns: minmax(0, 1fr);
  }
  .facts {
    max-height: none;
  }
}
</style>
