<script setup lang="ts">
/** The run sheet of one run at the desk: steps at left, board and bays beside them, lit for the step at hand. */
import { computed, ref } from 'vue'
import { api, ask, wordsOf, type Layout, type Severity } from '@/api/client'
import BoardView from '@/board/BoardView.vue'
import { moduleWords } from '@/board/state'
import { whereIs } from '@/board/where'
import HoldAlone from '@/bench/HoldAlone.vue'
import { aloneFrom, atHand, ticking, useRun } from '@/bench/run'
import { session } from '@/frame/session'
import { gb } from '@/ui/figures'
import ComingNote from '@/ui/ComingNote.vue'
import { clock, moment, plural } from '@/ui/words'
import { useLive } from '@/frame/live'
import { useMachine } from '../machine'
import BackOut from './BackOut.vue'
import StepList from './StepList.vue'
import WindowForm from './WindowForm.vue'
import { byPhase, ENDED, layoutAt, minutesWords, PHASES, wayBack } from './words'

const props = defineProps<{ runId: string }>()
const emit = defineEmits<{ ended: [] }>()
const { machine, reload: reloadMachine } = useMachine()
const { view, steps, waiting, unsent, refused, wrong, connected, reload, enter, dismiss } = useRun(() => props.runId)
useLive(
  () => machine.value.id,
  (line) => {
    if (line.detail.run !== props.runId) return
    void reload()
    void reloadMachine()
  },
)

const at = computed(() => atHand(steps.value))
const looked = ref('')
const shown = computed(() => steps.value.find((s) => s.key === looked.value) ?? at.value)
const active = computed(() => view.value?.state === 'under way')
const tickable = computed(() =>
  view.value && at.value ? ticking(view.value, at.value, waiting.value, session.account) : 'look',
)
const lit = computed<Map<string, Severity | 'plain'>>(
  () => new Map((shown.value?.slots ?? []).map((s) => [s, 'plain'])),
)
const fitted = computed(() =>
  view.value ? layoutAt(steps.value, view.value.now as Layout, view.value.goal as Layout) : {},
)
/** What the steps of hands and starts that are open take; the soak is told by itself. [min] */
const left = computed(() =>
  steps.value
    .filter((s) => !s.done_at && s.proves !== 'soak')
    .reduce((sum, s) => ({ low: sum.low + s.minutes.low, high: sum.high + s.minutes.high }), { low: 0, high: 0 }),
)
const closes = computed(() => {
  const end = view.value?.window_end ? (Date.parse(view.value.window_end) - Date.now()) / 60_000 : 0
  return end > 0 ? minutesWords({ low: end, high: end }) : ''
})
const bays = computed(() => machine.value.bays.filter((b) => shown.value?.bays.includes(b.number) ?? false))
/** The slot of the step shown, in words, and what goes into it. */
const slotShown = computed(() => shown.value?.slots.at(-1))
const where = computed(() => (slotShown.value ? whereIs(machine.value.board, slotShown.value) : null))
const inHand = computed(() => {
  const module =
    shown.value?.do && shown.value.do !== 'take-out' && slotShown.value ? view.value?.goal[slotShown.value] : null
  return module && module !== 'unknown' ? [moduleWords(module), module.part].filter(Boolean).join(', ') : ''
})
const noted = computed(() => (slotShown.value ? (view.value?.serials[slotShown.value] ?? '') : ''))
/** Who ticked last: that is who stands at the machine. */
const last = computed(() => {
  const done = steps.value.filter((s) => s.done_at && s.done_by && !s.proves)
  const newest = done.reduce<(typeof done)[number] | null>((a, b) => (a && a.done_at! > b.done_at! ? a : b), null)
  return active.value && newest ? { by: newest.done_by!, at: newest.done_at! } : null
})
const back = computed(() => wayBack(steps.value))
const was = computed(() => machine.value.evaluation.installed_gib)
const noting = ref('')
const failure = ref('')
const dialog = ref<'' | 'window' | 'back'>('')

async function tick(kind: 'done' | 'undone', step: string): Promise<void> {
  looked.value = ''
  await enter({ kind, step })
  void reloadMachine()
}
async function alone(step: string, why: string): Promise<void> {
  await enter({ kind: 'done', step, alone: why })
  void reloadMachine()
}
async function note(): Promise<void> {
  const text = noting.value.trim()
  if (!text || !shown.value) return
  noting.value = ''
  await enter({ kind: 'note', step: shown.value.key, text })
}
async function ended(work: Promise<unknown>): Promise<void> {
  try {
    await work
    dialog.value = ''
    await reload()
    emit('ended')
  } catch (error) {
    failure.value = wordsOf(error)
  }
}
const path = computed(() => ({ params: { path: { run_id: props.runId } } }))
const backOut = (reason: string, outcome: 'not-seen' | 'unstable' | null) =>
  ended(ask(api.POST('/api/runs/{run_id}/back-out', { ...path.value, body: { reason, outcome } })))
const setWindow = (start: string | null, end: string | null) =>
  ended(ask(api.PUT('/api/runs/{run_id}/window', { ...path.value, body: { start, end } })))
</script>

<template>
  <div v-if="view" class="run">
    <div class="panel head">
      <div class="progress">
        <strong>{{ at ? `step ${at.number} of ${steps.length}` : 'every step is done' }}</strong>
        <span v-if="!active" class="ended">{{ ENDED[view.state] ?? view.state }}</span>
        <span class="faded small"
          >{{ view.plan }}{{ view.stages > 1 ? `, stage ${view.stage} of ${view.stages}` : '' }}</span
        >
        <span class="small"
          >{{ view.taken_min === null ? 'not switched off yet' : `${Math.round(view.taken_min)} min` }}
          <span class="faded">of {{ minutesWords(view.down) }}</span></span
        >
        <span v-if="active && at" class="small">{{ minutesWords(left) }} <span class="faded">to go</span></span>
        <span v-if="view.window_start" class="faded small"
          >window {{ moment(view.window_start, machine.zone)
          }}<template v-if="closes">; it closes in {{ closes }}</template></span
        >
      </div>
      <p v-if="active" class="sent small" :class="connected ? 'faded' : 'off'" role="status">
        {{
          !connected
            ? `No connection: ${unsent} ${unsent === 1 ? 'entry is' : 'entries are'} kept here and sent when it is back`
            : unsent
              ? `${unsent} ${unsent === 1 ? 'entry is' : 'entries are'} on the way`
              : 'every entry is sent'
        }}
      </p>
      <div class="acts">
        <router-link v-if="active" class="press slim" :to="`/bench/${runId}`">Open at the bench</router-link>
        <a class="quiet-link" :href="`/api/runs/${runId}/sheet.pdf`" target="_blank" rel="noopener">Print (PDF)</a>
        <a class="quiet-link" :href="`/api/runs/${runId}/labels.pdf`" target="_blank" rel="noopener">Labels (PDF)</a>
        <a v-if="view.window_start" class="quiet-link" :href="`/api/runs/${runId}/window.ics`">Calendar</a>
        <button v-if="active && session.mayWrite()" type="button" class="quiet-link" @click="dialog = 'window'">
          Maintenance window
        </button>
      </div>
      <div class="contacts" aria-hidden="true">
        <span v-for="g in byPhase(steps)" :key="g.key" class="phase"
          ><span class="row"
            ><i
              v-for="s in g.steps"
              :key="s.key"
              :class="{
                made: s.done_at,
                proof: s.proves,
                waived: s.proof === 'waived',
                now: s.key === at?.key,
              }"></i></span
          ><small>{{ PHASES[g.phase] ?? g.phase }}</small></span
        >
      </div>
    </div>
    <p v-for="w in refused" :key="w.id" class="wrong small refused" role="alert">
      Not taken: {{ w.refused }} <button type="button" class="quiet-link" @click="dismiss(w)">I have read it</button>
    </p>
    <p v-if="failure" class="wrong" role="alert">{{ failure }}</p>
    <section class="panel list" aria-label="Steps">
      <StepList
        :steps="steps"
        :zone="machine.zone"
        :at="at?.key ?? ' '"
        :may="tickable === 'yes'"
        @look="looked = $event"
        @done="tick('done', $event)"
        @undone="tick('undone', $event)">
        <template #waits="{ step }">
          <HoldAlone
            v-if="tickable === 'second'"
            class="small"
            :run-id="runId"
            :step="step.key"
            :from="aloneFrom(view, waiting)"
            :connected="connected"
            @alone="alone(step.key, $event)"
            @ticked="reload" />
          <router-link v-else-if="tickable === 'proof'" class="quiet-link small" :to="`/machines/${machine.id}/proof`"
            >Proof ticks this: open it</router-link
          >
        </template>
      </StepList>
      <div v-if="active" class="foot small">
        <b>Way back</b>
        <span v-if="back" class="faded"
          >{{
            back.moves
              ? `${plural(back.moves, 'module move')} to undo, then closed and started`
              : 'closed and started again'
          }}: {{ minutesWords(back) }}; {{ gb(was) }} GB as before</span
        >
        <span v-else class="faded">nothing to undo yet</span>
        <button v-if="session.mayWrite()" type="button" class="quiet-link back" @click="dialog = 'back'">
          Back out
        </button>
      </div>
    </section>
    <section class="panel beside" aria-label="Where">
      <p v-if="last" class="who small">
        <i aria-hidden="true"></i><b>{{ last.by }} at the bench</b>{{ ' ' }}
        <span class="faded">last tick {{ clock(last.at, machine.zone) }}</span>
      </p>
      <div class="picture">
        <BoardView
          :board="machine.board"
          :now="fitted"
          :goal="view.goal as Layout"
          :lit="lit"
          :failed="machine.failed.filter((s) => s in fitted)" />
      </div>
      <div v-if="bays.length" class="front" :style="{ '--columns': machine.bay_columns }">
        <div v-for="b in machine.bays" :key="b.number" class="bay" :class="{ lit: shown?.bays.includes(b.number) }">
          <strong>{{ b.number }}</strong> <span class="mono small">{{ view.bays[String(b.number)] || '?' }}</span>
        </div>
      </div>
      <div v-if="where" class="where">
        <strong class="mono">{{ where.name }}</strong>
        <p>
          <b v-if="where.place">{{ where.place }}</b><b v-else class="untold"
            >where it lies is not told: find its name on the board</b
          ><span class="faded">{{ where.among }}</span>
        </p>
        <p v-if="inHand" class="hand">
          <b>In your hand</b> <span class="mono">{{ inHand }}</span><span class="faded">{{
            noted ? `noted: ${noted}` : 'its label is compared at the bench'
          }}</span>
        </p>
      </div>
      <div class="remarks">
        <h2>{{ shown ? `At step ${shown.number}` : 'Notes' }}</h2>
        <ul class="small">
          <li v-for="r in view.remarks.filter((x) => !shown || x.step === shown.key)" :key="r.id">
            <a v-if="r.is_photo" :href="`/api/runs/${runId}/attachments/${r.id}`" target="_blank" rel="noopener"
              ><img :src="`/api/runs/${runId}/attachments/${r.id}`" :alt="`Photo by ${r.by}`"
            /></a>
            <span v-else>{{ r.text || 'found not right' }}</span>{{ ' ' }}
            <span class="faded">{{ r.by }}, {{ moment(r.at, machine.zone) }}</span>
          </li>
        </ul>
        <form v-if="active && shown && session.mayWrite()" class="fields note" @submit.prevent="note">
          <label>Note at this step <input v-model="noting" maxlength="2000" /></label>
          <button type="submit" class="quiet-link" :disabled="!noting.trim()">Note it</button>
        </form>
      </div>
    </section>
    <WindowForm v-if="dialog === 'window'" :run="view" :zone="machine.zone" @set="setWindow" @leave="dialog = ''" />
    <BackOut v-if="dialog === 'back'" :step="at" :steps="steps" @out="backOut" @leave="dialog = ''" />
  </div>
  <p v-else-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
  <ComingNote v-else what="The run sheet" />
</template>

<style scoped>
.run {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 1fr);
  gap: 10px 12px;
  padding: 10px 16px 12px 12px;
  align-items: start;
}
.head,
.refused {
  grid-column: 1 / -1;
}
.head {
  position: relative;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 20px;
  justify-content: space-between;
  align-items: baseline;
  padding: 10px 18px 12px;
}
.progress,
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 16px;
  align-items: baseline;
}
.progress strong {
  font-size: 20px;
}
.ended {
  padding: 0 8px;
  border: 1px solid var(--faded);
}
.back {
  color: var(--stop);
}
.foot {
  position: sticky;
  bottom: 0;
  z-index: 1;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 12px;
  align-items: baseline;
  margin-top: 8px;
  padding: 10px 0;
  border-top: 1px solid var(--rule);
  background: var(--sheet);
}
.foot .back {
  margin-left: auto;
}
.who {
  display: flex;
  gap: 8px;
  align-items: baseline;
  margin: 0;
}
.who i {
  width: 9px;
  height: 9px;
  border-radius: 50%;
  background: var(--umber);
}
.where {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 4px 16px;
  align-items: center;
  margin: 8px 0;
  padding-top: 10px;
  border-top: 1px solid var(--rule);
}
.where strong {
  font-size: 26px;
  color: var(--umber);
}
.where p {
  display: grid;
  margin: 0;
}
.where .untold {
  color: var(--ask);
}
.where .hand {
  grid-column: 1 / -1;
}
/* Every step is a contact: made, to be made, ticked by proof, waived. */
.contacts {
  flex-basis: 100%;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  margin-top: 4px;
}
.phase {
  display: grid;
  gap: 2px;
}
.phase small {
  font-size: 12px;
  color: var(--faded);
}
.row {
  display: flex;
  gap: 3px;
  align-items: end;
  height: 22px;
}
.row i {
  width: 7px;
  height: 14px;
  background: var(--brass);
}
.row .made {
  background: var(--umber);
}
.row .proof {
  background: var(--sheet);
  border: 1.5px solid var(--go);
}
.row .proof.made {
  background: var(--go);
}
.row .waived {
  background: var(--sheet) !important;
  border: 1.5px dashed var(--risk);
}
.row .now {
  height: 22px;
  background: var(--umber);
}
.row .now.proof {
  background: var(--sheet);
}
/* Always one line: were it to come and go, the steps below would move from under a press. */
.sent {
  order: 1;
  flex-basis: 100%;
  margin: 0;
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.sent.off {
  color: var(--ask);
  font-weight: 600;
}
.refused {
  margin: 0;
}
.list {
  padding: 2px 14px 0 16px;
}
.beside {
  position: sticky;
  top: 10px;
  padding: 10px 14px 14px;
  display: grid;
  gap: 10px;
}
.picture {
  height: min(46vh, 420px);
}
.front {
  display: grid;
  grid-template-columns: repeat(var(--columns), minmax(0, 1fr));
  gap: 4px;
}
.bay {
  border: 1px solid var(--module-edge);
  padding: 4px 8px;
  border-radius: 3px;
  overflow: hidden;
  text-overflow: ellipsis;
}
.bay.lit {
  outline: 2px solid var(--umber);
}
.remarks ul {
  list-style: none;
  margin: 4px 0;
  padding: 0;
  display: grid;
  gap: 6px;
}
.remarks img {
  max-width: 160px;
  max-height: 110px;
  display: block;
  border: 1px solid var(--rule);
}
.note {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 12px;
  align-items: end;
}
@media (max-width: 800px) {
  .run {
    grid-template-columns: minmax(0, 1fr);
  }
  .beside {
    position: static;
  }
  .list {
    max-height: none;
  }
}
</style>
