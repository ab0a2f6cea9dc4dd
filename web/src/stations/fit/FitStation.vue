<script setup lang="ts">
/** Fit: the plan on the board, the tray below, the verdict beside it, following every touch. */
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { health } from '@/api/health'
import { api, ask, type Cure, type Finding, type Module } from '@/api/client'
import BoardView from '@/board/BoardView.vue'
import BySocket from '@/board/BySocket.vue'
import WayIn from '@/board/WayIn.vue'
import { moduleWords } from '@/board/state'
import { isLate, waitsWords } from '@/shelf/buying'
import { session } from '@/frame/session'
import { historyWords } from '@/ui/history'
import ComingNote from '@/ui/ComingNote.vue'
import { clock } from '@/ui/words'
import { useLive, useLoaded } from '@/frame/live'
import { useAsked } from '../asked'
import { keyOf, useMore, useWorth } from '../worth'
import { useMachine } from '../machine'
import ArrangementDialog from './ArrangementDialog.vue'
import CompareDialog from './CompareDialog.vue'
import ConflictDialog from './ConflictDialog.vue'
import { countWords, litBy, severityBySlot } from './findings'
import { useHand } from './hand'
import FitTray from './FitTray.vue'
import FlyingModule from './FlyingModule.vue'
import { useFitKeys } from './keys'
import { useMarks } from './marks'
import PlanName from './PlanName.vue'
import PlanStages from './PlanStages.vue'
import { usePlan, type Arrangement, type Changes } from './plan'
import { actionLines, comesOut, knownKinds } from './tray'
import { nextSteps } from './next'
import { useSources } from './sources'
import BriefOf from '../BriefOf.vue'
import DriveBays from '../survey/DriveBays.vue'
import RunsWith from './RunsWith.vue'
import SameTotal from './SameTotal.vue'
import VerdictPanel from './VerdictPanel.vue'

const { machine, reload, fitState } = useMachine()
const {
  plan,
  goal,
  saving,
  wrong,
  conflict,
  open,
  startNew,
  edit,
  answer,
  runWith,
  setStages,
  step,
  rename,
  settle,
  settled,
  follow,
  propose,
  discard,
  lookUpTargets,
} = usePlan(() => machine.value)
const board = ref<InstanceType<typeof BoardView>>()
const ready = ref(false)
const typed = shallowRef<Module[]>([])
const pointed = shallowRef<Finding | null>(null)
const mayWrite = computed(() => session.mayWrite())
const arrangement = shallowRef<Arrangement | null>(null)
const comparing = ref(false)
const news = ref('')

async function load(): Promise<void> {
  try {
    await open(plan.value?.id ?? machine.value.plans[0]?.id)
    ready.value = true
  } catch {
    // the banner tells; a recovery loads again
  }
}
useLoaded(() => null, load)
const now = computed(() => plan.value?.now ?? machine.value.slots)
const evaluationNow = computed(() => plan.value?.evaluation_now ?? machine.value.evaluation)
const evaluation = computed(() => plan.value?.evaluation ?? machine.value.evaluation)
const done = computed(() => actionLines(machine.value.board, plan.value?.actions ?? []))
/** Tells states of what is known of the machine apart. */
const machineKey = () => `${machine.value.id} ${machine.value.survey.revision} ${machine.value.version}`
/** Cures come after the verdict, for they take longer: of the plan, or of the machine as it is, where the first press starts one. */
const cures = useAsked<(Cure | null)[]>(
  () => (mayWrite.value ? `${plan.value?.id ?? ''} ${plan.value?.version ?? ''} ${machineKey()}` : ''),
  async () => {
    if (!plan.value)
      return ask(api.GET('/api/machines/{machine_id}/cures', { params: { path: { machine_id: machine.value.id } } }))
    if (!plan.value.evaluation.findings.length) return []
    return (await ask(api.GET('/api/plans/{plan_id}/cures', { params: { path: { plan_id: plan.value.id } } }))).cures
  },
)
const planKey = () => (plan.value ? { id: plan.value.id, version: plan.value.version, machine: machineKey() } : null)
const worth = useWorth(planKey)
const lacks = computed(() => Math.max(0, (machine.value.need_gib ?? 0) - evaluation.value.usable_gib))
const { more, looking } = useMore(
  planKey,
  () => lacks.value > 0 && !machine.value.runs.some((r) => r.state === 'under way'),
)
const next = computed(() =>
  nextSteps({
    changes: Boolean(plan.value?.actions.some((a) => a.do !== 'keep')),
    evaluation: evaluation.value,
    questions: (plan.value?.questions ?? machine.value.questions).length,
    worth: worth.value,
    short: lacks.value,
    approved: plan.value?.state === 'approved',
    run: machine.value.runs[0]?.state ?? null,
    proved: Boolean(plan.value?.verdict_proved),
  }),
)
const severities = computed(() => severityBySlot(evaluation.value.findings))
const outgoing = computed(() => comesOut(now.value, goal.value))
const kinds = computed(() => knownKinds(now.value, goal.value, typed.value))

const { shelf, offers } = useSources(
  () => machine.value.id,
  () => plan.value?.version,
)

watch(
  evaluation,
  (e) => {
    const first = e.findings.find((f) => f.severity !== 'note')
    fitState.value = { words: countWords(e.findings), severity: first?.severity ?? 'go' }
  },
  { immediate: true },
)
onBeforeUnmount(() => (fitState.value = null))
// The other stations show the plan by the machine's list: it has a plan that was just begun, and what it came to when one leaves.
watch(
  () => plan.value?.id,
  (id) => id && !machine.value.plans.some((p) => p.id === id) && void reload(),
)
onBeforeUnmount(() => void settled().then(reload))

const marks = useMarks(() => goal.value, edit)
const { marked } = marks
const hand = useHand({
  targets: lookUpTargets,
  drop: (held, slot) => {
    const move: Changes = { [slot]: held.module }
    if (held.from) move[held.from] = goal.value[slot] ?? null
    void edit(move)
  },
})
const { held, targets, pointer, over, hovered } = hand
useLive(
  () => machine.value.id,
  async (line) => {
    if (
      line.account_id === session.account?.id &&
      line.plan_id === plan.value?.id &&
      plan.value &&
      (line.detail.version as number) <= plan.value.version
    )
      return
    if (line.plan_id === plan.value?.id && (await follow(line.detail.version as number))) {
      news.value = `${line.by ?? 'Somebody'} ${historyWords(line, machine.value.board)}`
    } else if (line.plan_id !== plan.value?.id || line.plan_id === null) await reload()
  },
)

// Lights: a finding pointed at, unless something is in hand; then the targets are the lights.
const lit = computed(() => (held.value ? new Map() : litBy(pointed.value)))

function remember(module: Module): void {
  typed.value = [...typed.value, module]
}

/** From the label field or the tray by key: in hand, then the board has the focus. */
function takeByKey(module: Module): void {
  remember(module)
  hand.take(module, null)
  board.value?.focus()
}

function enter(slot: string): void {
  if (!mayWrite.value) return
  const here = goal.value[slot]
  if (held.value && !held.value.from && marked.value.has(slot)) marks.fill(held.value.module)
  else if (held.value) {
    if (held.value.from === slot) hand.letGo()
    else hand.put(slot)
  } else if (here && here !== 'unknown') hand.take(here, slot)
}

function remove(slot: string): void {
  if (mayWrite.value) marks.takeOut(slot)
}

const { shown, onBoardKey } = useFitKeys({
  escape: () => (held.value ? hand.letGo() : marks.clear()),
  undo: () => mayWrite.value && plan.value?.can_undo && void step('undo'),
  redo: () => mayWrite.value && plan.value?.can_redo && void step('redo'),
  fill: () => mayWrite.value && held.value && void arrange('next-set'),
  spread: () => mayWrite.value && void arrange('spread'),
  swap: () => mayWrite.value && marked.value.size === 2 && marks.swap(),
})

async function arrange(kind: Arrangement['kind']): Promise<void> {
  const found = await propose(kind, kind === 'next-set' ? (held.value?.module ?? null) : null)
  if (found) arrangement.value = { kind, found }
}

async function acceptArrangement(): Promise<void> {
  const { found } = arrangement.value!
  arrangement.value = null
  hand.letGo()
  await edit(found.changes as Changes)
}

function grabSlot(slot: string, event: PointerEvent): void {
  if (!mayWrite.value) return
  hand.press(event, goal.value[slot], slot, () => held.value && enter(slot))
}

function grabFromTray(module: Module, event: PointerEvent, isTyped: boolean): void {
  if (!mayWrite.value) return
  hand.press(event, module, null, () => takeByKey(module))
  if (isTyped) remember(module)
}

onBeforeUnmount(() => hand.letGo())

const saved = computed(() => {
  if (health.trouble && saving.value) return 'not saved yet'
  if (saving.value) return 'saving'
  return plan.value ? `saved ${clock(plan.value.updated_at, machine.value.zone)}` : ''
})
async function openPlan(id: string | null, like?: string): Promise<void> {
  comparing.value = false
  hand.letGo()
  marks.clear()
  await (id ? open(id) : startNew(like))
  await reload()
}
const openOther = (event: Event) => openPlan((event.target as HTMLSelectElement).value || null)

async function discardPlan(id: string): Promise<void> {
  const view = id === plan.value?.id ? plan.value : null
  await discard(
    id,
    view?.version ?? (await ask(api.GET('/api/plans/{plan_id}', { params: { path: { plan_id: id } } }))).version,
  )
  await reload()
  if (view) await open(machine.value.plans[0]?.id)
}
/** A board that leaves room beside it. */
const isSmall = computed(() => machine.value.board.slots.length <= 8 && machine.value.board.sockets.length === 1)
/** The plan and another way to its total, where the machine is opened otherwise for that. */
const ways = useAsked(
  () => (isSmall.value ? keyOf(planKey()) : ''),
  () => ask(api.GET('/api/plans/{plan_id}/same-total', { params: { path: { plan_id: plan.value!.id } } })),
)
const manySockets = computed(() => machine.value.board.sockets.length > 1)
</script>

<template>
  <div v-if="ready" class="fit">
    <Teleport to="#machine-actions" defer>
      <span class="faded small" aria-live="polite">{{ saved }}</span>
      <select
        v-if="plan || machine.plans.length"
        class="plans"
        aria-label="Plan shown"
        :value="plan?.id"
        :disabled="saving"
        @change="openOther">
        <option v-for="p in machine.plans" :key="p.id" :value="p.id">
          {{ p.id === plan?.id ? plan.name : p.name }}
        </option>
        <option v-if="plan && !machine.plans.some((p) => p.id === plan?.id)" :value="plan.id">{{ plan.name }}</option>
        <option v-if="mayWrite" value="">a new plan from what is in it now</option>
      </select>
      <PlanName :name="plan?.name" :may-write="mayWrite" @rename="rename" />
    </Teleport>
    <section class="panel board-panel" aria-labelledby="board-title">
      <div class="caption">
        <h2 id="board-title">Board</h2>
        <span v-if="plan" class="faded small">flat is fitted, a shadow is planned</span>
        <span v-else class="faded small">as it is now; the first change starts a plan</span>
        <span v-if="plan?.survey_changed" class="warn small"
          >a newer survey found something else in the slots than this plan starts from</span
        >
        <router-link
          v-if="plan?.waits"
          class="quiet-link small"
          :class="{ late: isLate(plan.waits) }"
          to="/shelf/orders"
          >{{ waitsWords(plan.waits) }}</router-link
        >
        <span v-if="plan?.sheet_changed" class="warn small">the sheet has changed since this plan was made</span>
        <span class="tools">
          <button v-if="machine.plans.length" type="button" class="quiet-link" @click="comparing = true">
            Compare
          </button>
          <button
            type="button"
            class="quiet-link"
            :aria-pressed="shown.now"
            title="hold B"
            @click="shown.now = !shown.now">
            As it is
          </button>
          <button
            type="button"
            class="quiet-link"
            :aria-pressed="shown.order"
            title="hold O"
            @click="shown.order = !shown.order">
            Order
          </button>
          <button
            type="button"
            class="quiet-link"
            :aria-pressed="shown.landmarks"
            title="L"
            @click="shown.landmarks = !shown.landmarks">
            Landmarks
          </button>
          <button
            v-if="manySockets"
            type="button"
            class="quiet-link"
            :disabled="!mayWrite"
            title="S"
            @click="arrange('spread')">
            Spread evenly
          </button>
          <button type="button" class="quiet-link" aria-label="Nearer" title="+" @click="board?.near.nearer()">
            +
          </button>
          <button type="button" class="quiet-link" aria-label="Farther" title="-" @click="board?.near.farther()">
            −
          </button>
          <button
            type="button"
            class="quiet-link"
            :disabled="!mayWrite || !plan?.can_undo"
            title="Ctrl+Z"
            @click="step('undo')">
            Undo
          </button>
          <button
            type="button"
            class="quiet-link"
            :disabled="!mayWrite || !plan?.can_redo"
            title="Ctrl+Shift+Z"
            @click="step('redo')">
            Redo
          </button>
        </span>
      </div>
      <BySocket v-slot="{ socket }" :board="machine.board" :now="now" :goal="goal" :slot_="pointed?.slots[0]">
        <div class="picture" :class="{ small: isSmall }">
          <BoardView
            ref="board"
            :socket="socket"
            :board="machine.board"
            :now="now"
            :goal="shown.now ? now : goal"
            :lit="lit"
            :severities="shown.now ? new Map() : severities"
            :marked="marked"
            :failed="machine.failed"
            :order="shown.order"
            :landmarks="shown.landmarks"
            :targets="targets"
            :lifted="held?.from"
            interactive
            @enter="enter"
            @remove="remove"
            @escape="held ? hand.letGo() : marks.clear()"
            @mark="marks.mark"
            @keydown="onBoardKey"
            @grab="grabSlot"
            @focus="hand.look"
            @hover="hand.look" />
          <WayIn v-if="isSmall" class="way-in" :board="machine.board" />
          <DriveBays
            v-if="isSmall && machine.bays.length"
            class="bays"
            :machine="machine"
            :may-write="mayWrite"
            @saved="reload" />
          <SameTotal
            v-if="ways?.length"
            class="two-ways"
            :ways="ways"
            :board="machine.board"
            :may-write="mayWrite"
            @take="edit($event)" />
        </div>
      </BySocket>
      <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
      <p v-if="held && !pointer" class="in-hand small" role="status">
        In hand: <strong>{{ moduleWords(held.module) }}</strong>.
        <span v-if="hovered?.reason" class="reason" :class="hovered.allowed ? 'mind' : 'no'">{{ hovered.reason }}</span>
        <template v-else
          >Enter or a click places it<template v-if="marked.size">, in a marked slot in all {{ marked.size }}</template
          >; Esc lets go.</template
        >
        <button type="button" class="quiet-link" title="F" @click="arrange('next-set')">
          Fill the next set with it
        </button>
      </p>
      <p v-else-if="marked.size" class="in-hand small" role="status">
        <strong>{{ marked.size }} marked</strong>. Delete takes them out<template v-if="marked.size === 2"
          >, X swaps the two</template
        >; Esc unmarks.
        <button v-if="marked.size === 2" type="button" class="quiet-link" @click="marks.swap">Swap</button>
        <button type="button" class="quiet-link" @click="remove([...marked][0]!)">Take out</button>
      </p>
      <p v-else-if="shown.now" class="in-hand small" role="status">As it is now, without the plan.</p>
      <p v-else-if="news" class="in-hand small" role="status">
        {{ news }}. <button type="button" class="quiet-link" @click="news = ''">Seen</button>
      </p>
    </section>
    <FitTray
      :kinds="kinds"
      :shelf="shelf"
      :offers="offers"
      :outgoing="outgoing"
      :may-write="mayWrite"
      @take="takeByKey"
      @grab="grabFromTray" />
    <VerdictPanel
      class="side"
      :now="evaluationNow"
      :goal="evaluation"
      :done="done"
      :cures="cures ?? []"
      :board="machine.board"
      :questions="plan?.questions ?? machine.questions"
      :may-answer="mayWrite"
      :machine-id="machine.id"
      :sheet="machine.sheet_hash"
      @answer="answer"
      @cure="edit($event.changes)"
      @point="pointed = $event"
      :today="plan?.verdict_today ?? null"
      :proved="plan?.verdict_proved ?? null"
      :need="machine.need_gib"
      :valued="Boolean(plan)"
      :worth="worth"
      :more="more"
      :looking="looking"
      :next="next"
      @more="edit($event.changes as Changes)">
      <template v-if="plan" #stages>
        <BriefOf v-if="plan.actions.some((a) => a.do === 'put-in')" :machine-id="machine.id" :plan="plan" />
        <PlanStages :machine="machine" :plan="plan" :may-write="mayWrite" @save="setStages" />
      </template>
      <template #runs-with
        ><RunsWith :machine="machine" :runs-with="plan?.runs_with ?? {}" :may-write="mayWrite" @save="runWith"
      /></template>
    </VerdictPanel>
    <FlyingModule v-if="pointer && held" :module="held.module" :at="pointer" :over="over" :target="hovered" />
    <ArrangementDialog
      v-if="arrangement"
      :title="arrangement.kind === 'spread' ? 'Spread evenly over the sockets' : 'Fill the next set'"
      :found="arrangement.found"
      :board="machine.board"
      @accept="acceptArrangement"
      @leave="arrangement = null" />
    <CompareDialog
      v-if="comparing"
      :machine="machine"
      :shown="plan?.id ?? null"
      :may-write="mayWrite"
      @open="openPlan"
      @like="openPlan(null, $event)"
      @discard="discardPlan"
      @leave="comparing = false" />
    <ConflictDialog v-if="conflict" :conflict="conflict" :machine="machine" @settle="settle" />
  </div>
  <ComingNote v-else what="The board" />
</template>

<style scoped>
.fit {
  display: grid;
  grid-template: minmax(380px, 1fr) auto / minmax(0, 1fr) 336px;
  gap: 10px 12px;
  padding: 10px 16px 10px 12px;
  height: calc(100vh - 99px);
  min-height: 620px;
}
.side {
  grid-area: 1 / 2 / 3 / 3;
}
.board-panel {
  position: relative;
  display: flex;
  flex-direction: column;
  min-height: 0;
}
.caption {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  align-items: baseline;
  padding: 8px 16px 0;
}
.plans {
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  padding: 3px 8px;
  background: var(--sheet);
  color: var(--ink);
  font-size: 13px;
  max-width: 240px;
}
.tools {
  margin-left: auto;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 10px;
  font-size: 14px;
}
.tools [aria-pressed='true'] {
  color: var(--ink);
  font-weight: 650;
}
.warn {
  color: var(--slow);
}
.picture {
  flex: 1;
  min-height: 0;
  padding: 2px 10px 6px;
}
.picture.small {
  display: grid;
  grid-template: minmax(150px, 1fr) auto auto / minmax(0, 1fr) 300px;
}
.bays,
.two-ways {
  padding: 8px 16px 8px 6px;
  border-top: 1px solid var(--rule);
}
.two-ways {
  grid-column: 1 / 3;
}
/* What lies beside a small board is shown whole; the page may be longer for it. */
.fit:has(.two-ways) {
  height: auto;
}
.way-in {
  grid-row: 1 / 3;
  grid-column: 2;
  overflow-y: auto;
  border-left: 1px solid var(--rule);
}
@media (max-width: 900px) {
  .picture.small {
    grid-template: 320px auto auto auto / minmax(0, 1fr);
    height: auto;
  }
  .picture.small > * {
    grid-area: auto;
  }
  .way-in {
    border: 0;
  }
}
/* Over the board's foot, so that nothing moves under the pointer when it comes and goes. */
.in-hand,
.wrong {
  position: absolute;
  inset: auto 0 0 0;
  margin: 0;
  padding: 5px 16px;
  border-top: 1px solid var(--rule);
  background: var(--lit);
}
.wrong {
  color: var(--stop);
}
.reason {
  font-size: 13px;
}
.reason.no {
  color: var(--stop);
  font-weight: 600;
}
.reason.mind {
  color: var(--slow);
}
@media (max-width: 1100px) {
  .plans {
    max-width: 170px;
  }
  .fit {
    grid-template-columns: minmax(0, 1fr) 300px;
  }
}
@media (max-width: 800px) {
  .fit {
    display: flex;
    flex-direction: column;
    height: auto;
  }
  .board-panel {
    min-width: 0;
    overflow: hidden;
  }
  .picture {
    flex: none;
    height: 300px;
  }
}
</style>
