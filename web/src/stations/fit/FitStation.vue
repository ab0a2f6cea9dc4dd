<script setup lang="ts">
/** Fit: the plan on the board, the tray below, the verdict beside it, following every touch. */
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { health } from '@/api/health'
import type { Finding, Module } from '@/api/client'
import BoardView from '@/board/BoardView.vue'
import { gb, moduleLine, moduleWords, voltsOf } from '@/board/state'
import { session } from '@/frame/session'
import { clock } from '@/ui/words'
import { useMachine } from '../machine'
import ConflictDialog from './ConflictDialog.vue'
import { countWords, litBy, severityBySlot } from './findings'
import { useHand } from './hand'
import LabelEntry from './LabelEntry.vue'
import { usePlan, type Changes } from './plan'
import { actionLines, comesOut, knownKinds, type TrayItem } from './tray'
import VerdictPanel from './VerdictPanel.vue'

const { machine, reload, fitState } = useMachine()
const { plan, goal, saving, wrong, conflict, open, startNew, edit, step, rename, settle, lookUpTargets } = usePlan(() => machine.value)
const board = ref<InstanceType<typeof BoardView>>()
const ready = ref(false)
const name = ref('')
const typed = shallowRef<Module[]>([])
const pointed = shallowRef<Finding | null>(null)
const mayWrite = computed(() => session.mayWrite())

async function load(): Promise<void> {
  try {
    await open(plan.value?.id ?? machine.value.plans[0]?.id)
    ready.value = true
  } catch {
    // the banner tells; a recovery loads again
  }
}
onMounted(load)
watch(() => health.recoveries, load)
watch(
  () => plan.value?.name,
  (now) => (name.value = now ?? ''),
)

const now = computed(() => plan.value?.now ?? machine.value.slots)
const evaluationNow = computed(() => plan.value?.evaluation_now ?? machine.value.evaluation)
const evaluation = computed(() => plan.value?.evaluation ?? machine.value.evaluation)
const done = computed(() => actionLines(machine.value.board, plan.value?.actions ?? []))
const severities = computed(() => severityBySlot(evaluation.value.findings))
const outgoing = computed(() => comesOut(now.value, goal.value))
const kinds = computed(() => knownKinds(now.value, goal.value, typed.value))

watch(
  evaluation,
  (e) => {
    const first = e.findings.find((f) => f.severity !== 'note')
    fitState.value = { words: countWords(e.findings), severity: first?.severity ?? 'go' }
  },
  { immediate: true },
)
onBeforeUnmount(() => (fitState.value = null))

const hand = useHand({
  targets: lookUpTargets,
  drop: (held, slot) => {
    const move: Changes = { [slot]: held.module }
    if (held.from) move[held.from] = goal.value[slot] ?? null
    void edit(move)
  },
})
const { held, targets, pointer, hovered } = hand
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
  if (held.value) {
    if (held.value.from === slot) hand.letGo()
    else hand.put(slot)
  } else if (here && here !== 'unknown') hand.take(here, slot)
}

function remove(slot: string): void {
  if (mayWrite.value && goal.value[slot] !== undefined) void edit({ [slot]: null })
}

function grabSlot(slot: string, event: PointerEvent): void {
  if (!mayWrite.value) return
  hand.press(event, goal.value[slot], slot, () => held.value && enter(slot))
}

function grabTyped(module: Module, event: PointerEvent): void {
  if (!mayWrite.value) return
  hand.press(event, module, null, () => takeByKey(module))
  remember(module)
}

function grabKind(item: TrayItem, event: PointerEvent): void {
  if (!mayWrite.value) return
  hand.press(event, item.module, null, () => takeByKey(item.module))
}

function saveName(): void {
  const wanted = name.value.trim()
  if (wanted && wanted !== plan.value?.name) void rename(wanted)
  else name.value = plan.value?.name ?? ''
}

function onKey(event: KeyboardEvent): void {
  const inField = (event.target as Element).closest('input, textarea')
  if (event.key === 'Escape' && held.value) hand.letGo()
  if (!(event.ctrlKey || event.metaKey) || event.key.toLowerCase() !== 'z' || inField || !mayWrite.value) return
  event.preventDefault()
  if (event.shiftKey ? plan.value?.can_redo : plan.value?.can_undo) void step(event.shiftKey ? 'redo' : 'undo')
}
onMounted(() => addEventListener('keydown', onKey))
onBeforeUnmount(() => {
  removeEventListener('keydown', onKey)
  hand.letGo()
})

const saved = computed(() => {
  if (health.trouble && saving.value) return 'not saved yet'
  if (saving.value) return 'saving'
  return plan.value ? `saved ${clock(plan.value.updated_at, machine.value.zone)}` : ''
})
const openOther = async (event: Event) => {
  const id = (event.target as HTMLSelectElement).value
  hand.letGo()
  await (id ? open(id) : startNew())
  await reload()
}
</script>

<template>
  <div v-if="ready" class="fit">
    <Teleport to="#machine-actions" defer>
      <span class="faded small" aria-live="polite">{{ saved }}</span>
      <form class="name" @submit.prevent="saveName">
        <input v-model="name" aria-label="Name of this plan" placeholder="Name this plan" maxlength="120" :disabled="!mayWrite" @blur="saveName" />
        <v-btn type="submit" color="primary" size="small" height="32" :disabled="!mayWrite || !name.trim() || name.trim() === plan?.name">
          {{ plan ? 'Rename' : 'Save' }}
        </v-btn>
      </form>
    </Teleport>
    <section class="panel board-panel" aria-labelledby="board-title">
      <div class="caption">
        <h2 id="board-title">Board</h2>
        <select v-if="machine.plans.length" class="plans" aria-label="Plan shown" :value="plan?.id" :disabled="saving" @change="openOther">
          <option v-for="p in machine.plans" :key="p.id" :value="p.id">{{ p.id === plan?.id ? plan.name : p.name }}</option>
          <option v-if="plan && !machine.plans.some((p) => p.id === plan?.id)" :value="plan.id">{{ plan.name }}</option>
          <option v-if="mayWrite" value="">a new plan from what is in it now</option>
        </select>
        <span v-if="!plan" class="faded small">as it is now; the first change starts a plan</span>
        <span v-if="plan?.survey_changed" class="warn small">the machine was surveyed again since this plan was made</span>
        <span v-if="plan?.sheet_changed" class="warn small">the sheet has changed since this plan was made</span>
        <span class="keys faded small">arrows walk, Enter takes and puts, Delete takes out</span>
        <button type="button" class="quiet-link" :disabled="!mayWrite || !plan?.can_undo" title="Ctrl+Z" @click="step('undo')">Undo</button>
        <button type="button" class="quiet-link" :disabled="!mayWrite || !plan?.can_redo" title="Ctrl+Shift+Z" @click="step('redo')">Redo</button>
      </div>
      <div class="picture">
        <BoardView
          ref="board"
          :board="machine.board"
          :now="now"
          :goal="goal"
          :lit="lit"
          :severities="severities"
          :targets="targets"
          :lifted="held?.from"
          interactive
          @enter="enter"
          @remove="remove"
          @escape="hand.letGo()"
          @grab="grabSlot"
        />
      </div>
      <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
      <p v-if="held && !pointer" class="in-hand small" role="status">
        In hand: <strong>{{ moduleWords(held.module) }}</strong
        >. Choose a slot with the arrow keys and press Enter, or click it; Esc lets go.
      </p>
    </section>
    <section class="panel tray" aria-label="Tray">
      <LabelEntry @place="takeByKey" @grab="grabTyped" />
      <div class="kinds">
        <h2>Another of these</h2>
        <div class="chips">
          <button
            v-for="item in kinds"
            :key="item.key"
            type="button"
            class="kind"
            :disabled="!mayWrite"
            @pointerdown.prevent="grabKind(item, $event)"
            @keydown.enter.prevent="takeByKey(item.module)"
            @keydown.space.prevent="takeByKey(item.module)"
          >
            <span class="visually-hidden">Take another {{ moduleWords(item.module) }} in hand</span>
            <strong aria-hidden="true">{{ gb(item.module.capacity_gib) }}</strong>
            <span class="mono" aria-hidden="true">{{ moduleLine(item.module) }}<br /><span class="faded">{{ item.module.generation ?? 'generation ?' }} {{ voltsOf(item.module) }}</span></span>
          </button>
          <p v-if="!kinds.length" class="faded small">What you type and what is fitted is kept here to take again.</p>
        </div>
      </div>
      <div class="out">
        <h2>Comes out</h2>
        <ul>
          <li v-for="item in outgoing" :key="item.key">
            <span v-if="item.count > 1">{{ item.count }} x </span><strong>{{ gb(item.module.capacity_gib) }} GB</strong>
            <span class="mono">{{ moduleLine(item.module) }}</span>
          </li>
          <li v-if="!outgoing.length" class="faded">nothing in this plan</li>
        </ul>
      </div>
    </section>
    <VerdictPanel class="side" :now="evaluationNow" :goal="evaluation" :done="done" :cures="mayWrite ? (plan?.cures ?? []) : []" :board="machine.board" @cure="edit($event.changes)" @point="pointed = $event" />
    <div v-if="pointer && held" class="flying" :style="{ transform: `translate(${pointer.x + 10}px, ${pointer.y + 8}px)` }">
      <strong>{{ gb(held.module.capacity_gib) }}</strong> <span class="mono">{{ moduleLine(held.module) }}</span>
      <span v-if="hovered?.reason" class="reason" :class="hovered.allowed ? 'mind' : 'no'">{{ hovered.reason }}</span>
    </div>
    <ConflictDialog v-if="conflict" :conflict="conflict" :machine="machine" @settle="settle" />
  </div>
</template>

<style scoped>
.fit {
  display: grid;
  grid-template: minmax(380px, 1fr) auto / minmax(0, 1fr) 312px;
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
  border: 1px solid var(--rule);
  border-radius: 3px;
  padding: 1px 6px;
  background: var(--sheet);
  color: var(--ink);
  font-size: 13px;
  max-width: 240px;
}
.keys {
  margin-left: auto;
}
.warn {
  color: var(--slow);
}
.picture {
  flex: 1;
  min-height: 0;
  padding: 2px 10px 6px;
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
.tray {
  display: grid;
  grid-template-columns: minmax(0, 1.25fr) minmax(0, 1.25fr) minmax(0, 0.65fr);
  gap: 20px;
  padding: 10px 16px 8px;
  min-height: 150px;
}
.kinds,
.out {
  border-left: 1px solid var(--rule);
  padding-left: 16px;
  min-width: 0;
}
.chips {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  margin-top: 6px;
  max-height: 104px;
  overflow-y: auto;
  padding: 1px;
}
.kind {
  display: flex;
  gap: 6px;
  align-items: center;
  padding: 4px 7px 4px 6px;
  border: 1px solid var(--module-edge);
  background: var(--module);
  color: var(--ink);
  border-radius: 2px;
  cursor: grab;
  font-size: 12px;
  line-height: 1.25;
  text-align: left;
  touch-action: none;
}
.kind .faded {
  color: var(--ink);
  opacity: 0.85;
}
.kind strong {
  font-size: 16px;
}
.out ul {
  list-style: none;
  margin: 6px 0 0;
  padding: 0;
  font-size: 13px;
}
.name {
  display: flex;
  gap: 6px;
}
.name input {
  width: 200px;
  height: 32px;
  padding: 0 10px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
}
.name input::placeholder {
  color: var(--faded);
}
.flying {
  position: fixed;
  left: 0;
  top: 0;
  z-index: 2500;
  pointer-events: none;
  padding: 4px 10px;
  background: var(--sheet);
  border: 1.25px solid var(--ink);
  box-shadow: 6px 6px 8px var(--shadow);
  max-width: 340px;
  font-size: 13px;
}
.flying strong {
  font-size: 17px;
}
.reason {
  display: block;
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
  .fit {
    grid-template-columns: minmax(0, 1fr) 280px;
  }
  .keys {
    display: none;
  }
  .tray {
    grid-template-columns: minmax(0, 1.2fr) minmax(0, 1fr);
  }
  .out {
    grid-column: 1 / 3;
    border: 0;
    padding: 0;
    display: flex;
    gap: 12px;
    align-items: baseline;
  }
  .out ul {
    margin: 0;
    display: flex;
    flex-wrap: wrap;
    gap: 0 14px;
  }
}
@media (max-width: 800px) {
  .fit {
    display: flex;
    flex-direction: column;
    height: auto;
  }
  .picture {
    flex: none;
    overflow-x: auto;
  }
  .picture .board {
    min-width: 700px;
  }
  .tray {
    grid-template-columns: minmax(0, 1fr);
  }
  .kinds {
    border: 0;
    padding: 0;
  }
}
</style>
