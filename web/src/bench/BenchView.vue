<script setup lang="ts">
/** The run sheet at the bench: one step a screen, large, for one hand on a tablet or a phone; it works without a connection. */
import { computed, ref, shallowRef, watch } from 'vue'
import { Touch as vTouch } from 'vuetify/directives'
import { api, ask, type Layout, type MachineView, type Severity } from '@/api/client'
import BoardView from '@/board/BoardView.vue'
import { whereIs } from '@/board/where'
import { useLive } from '@/frame/live'
import { useTitle } from '@/ui/title'
import { session } from '@/frame/session'
import SeverityMark from '@/ui/SeverityMark.vue'
import { layoutAt, minutesWords, PHASES, PROOF } from '@/stations/run/words'
import { useWakeLock } from '@/ui/wake'
import { useNarrow } from '@/ui/width'
import { clock } from '@/ui/words'
import HoldAlone from './HoldAlone.vue'
import LabelInHand from './LabelInHand.vue'
import MachineLight from './MachineLight.vue'
import type { Entry } from './queue'
import { aloneFrom, atHand, ticking, useRun } from './run'
import type { About } from './say'
import SayForm from './SayForm.vue'

const props = defineProps<{ id: string }>()
const { view, steps, waiting, unsent, refused, wrong, connected, reload, enter, dismiss } = useRun(() => props.id)
const machine = shallowRef<MachineView>()
watch(
  () => view.value?.machine_id,
  async (key) => {
    if (!key) return
    try {
      machine.value = await ask(api.GET('/api/machines/{machine_id}', { params: { path: { machine_id: key } } }))
    } catch {
      // without a connection and never seen before: the words alone have to do
    }
  },
  { immediate: true },
)
useLive(
  () => view.value?.machine_id,
  () => void reload(),
)
useWakeLock()
useTitle(() => (view.value ? `${view.value.machine}: bench` : 'Bench'))

const open = computed(() => atHand(steps.value))
/** A step looked at although another is at hand. */
const looked = ref<string | null>(null)
const step = computed(() => steps.value.find((s) => s.key === looked.value) ?? open.value)
const index = computed(() => (step.value ? steps.value.indexOf(step.value) : steps.value.length))
const next = computed(() => steps.value[index.value + 1] ?? null)
const tickable = computed(() =>
  view.value && step.value ? ticking(view.value, step.value, waiting.value, session.account) : 'look',
)
/** Steps are walked by swiping too, from right to left as one turns a page. */
const swipe = {
  left: () => next.value && (looked.value = next.value.key),
  right: () => index.value > 0 && (looked.value = steps.value[index.value - 1]!.key),
}
/** Where the screen is narrow, the processor whose slots are handled fills it. */
const narrow = useNarrow()
const socket = computed(() => {
  const [board, slots] = [machine.value?.board, step.value?.slots ?? []]
  if (!board || !narrow.value || board.sockets.length < 2) return null
  const handled = new Set(board.channels.filter((c) => c.slots.some((s) => slots.includes(s))).map((c) => c.socket))
  return handled.size === 1 ? [...handled][0]! : null
})
const may = computed(() => tickable.value === 'yes')
/** Steps that stand for proof, are open, and hold nothing up. */
const pending = computed(() =>
  steps.value.filter((s) => s.proves && !s.done_at && s.number < (step.value?.number ?? 0)),
)
const checked = ref<string[]>([])
watch(
  () => step.value?.key,
  () => {
    checked.value = []
    asking.value = ''
    label.value = ''
    serial.value = ''
    window.scrollTo(0, 0)
  },
)
const unchecked = computed(() => (step.value?.checks ?? []).filter((c) => !checked.value.includes(c)).length)
const lit = computed<Map<string, Severity | 'plain'>>(() => new Map((step.value?.slots ?? []).map((s) => [s, 'plain'])))
/** As it is with the steps before this one done. */
const fitted = computed(() =>
  view.value ? layoutAt(steps.value.slice(0, index.value), view.value.now as Layout, view.value.goal as Layout) : {},
)
const planned = computed(() =>
  view.value && step.value
    ? layoutAt(
        [...steps.value.slice(0, index.value), { ...step.value, done_at: 'now' }],
        view.value.now as Layout,
        view.value.goal as Layout,
      )
    : {},
)
const asking = ref<'' | About>('')
const zone = computed(() => machine.value?.zone ?? 'UTC')
const remarks = computed(() => view.value?.remarks.filter((r) => r.step === step.value?.key) ?? [])

/** The slot that gets a module at this step. */
const comes = computed(() =>
  step.value && step.value.do !== null && step.value.do !== 'take-out' ? (step.value.slots.at(-1) ?? null) : null,
)
const where = computed(() =>
  step.value?.do && machine.value && step.value.slots.length
    ? whereIs(machine.value.board, step.value.slots.at(-1)!)
    : null,
)
const label = ref('')
const serial = ref('')
/** Always one line, at the head of what is pressed: were it to come and go, what is below would move from under the thumb. */
const sentWords = computed(() => {
  const ticks = `${unsent.value} ${unsent.value === 1 ? 'tick' : 'ticks'} kept here`
  if (!connected.value)
    return unsent.value ? `No connection: ${ticks}, sent when it is back` : 'No connection: ticks are kept here'
  return unsent.value ? `On its way: ${ticks}` : 'Every tick is sent'
})
/** Keep the label and the serial of what goes in: Proof rests on them, and so does whatever happens to that module later. */
async function keepLabel(): Promise<void> {
  await enter({ kind: 'label', slot: comes.value!, text: label.value, serial: serial.value })
}
const noted = computed(() => (comes.value ? (view.value?.serials[comes.value] ?? '') : ''))

async function done(alone = ''): Promise<void> {
  const key = step.value!.key
  looked.value = null
  if (comes.value && (label.value.trim() || serial.value.trim())) await keepLabel()
  await enter(alone ? { kind: 'done', step: key, alone } : { kind: 'done', step: key })
}
async function secondTicked(): Promise<void> {
  looked.value = null
  await reload()
}
async function say(entry: Entry): Promise<void> {
  asking.value = ''
  await enter(entry)
}
async function photo(event: Event): Promise<void> {
  const input = event.target as HTMLInputElement
  const blob = input.files?.[0]
  input.value = ''
  if (blob) await enter(null, { blob, step: step.value!.key })
}
</script>

<template>
  <div v-if="view" class="bench">
    <header>
      <div>
        <router-link class="name" :to="`/machines/${view.machine_id}/run`">{{ view.machine }}</router-link>
        <span class="sub">{{ view.sheet_title }}{{ view.place ? `, ${view.place}` : '' }}</span>
      </div>
      <div class="right">
        <strong>{{ step ? `step ${step.number} of ${steps.length}` : 'all done' }}</strong>
        <span class="sub"
          >{{ view.taken_min === null ? '' : `${Math.round(view.taken_min)} min, of `
          }}{{ minutesWords(view.down) }}</span
        >
      </div>
      <MachineLight
        v-if="view.light && (view.state === 'under way' || view.light.since)"
        :run-id="id"
        :light="view.light"
        :under-way="view.state === 'under way'"
        :zone="zone"
        :connected="connected"
        @changed="reload" />
      <div class="bar" :style="{ '--done': index / Math.max(1, steps.length) }"></div>
    </header>
    <section v-if="step" class="step" aria-label="The step at hand">
      <div v-touch="swipe" class="say">
        <p class="phase">{{ PHASES[step.phase] ?? step.phase }}<b v-if="step.hold" class="held">Hold</b></p>
        <h1>{{ step.text }}</h1>
        <p v-if="step.why" class="why">{{ step.why }}</p>
        <p v-if="where" class="why">
          <b>{{ where.name }}</b>: {{ [where.place, where.among].filter(Boolean).join('; ') }}
        </p>
        <p v-else-if="step.do && step.slots.length" class="why">&nbsp;</p>
        <p v-if="step.tools.length" class="with">With: {{ step.tools.join(', ') }}</p>
        <p v-if="step.proof" class="proof">
          <SeverityMark :severity="PROOF[step.proof]?.mark ?? 'ask'" /> <b>{{ PROOF[step.proof]?.word }}:</b>
          {{ step.proof_words }}
        </p>
        <p v-if="step.minutes.high" class="with">{{ step.waits ? 'Wait ' : '' }}{{ minutesWords(step.minutes) }}</p>
      </div>
      <!-- its place is there before the machine is: what is pressed below must not move -->
      <div v-if="step.slots.length || step.carrier" v-touch="swipe" class="picture">
        <BoardView v-if="machine" :board="machine.board" :socket="socket" :now="fitted" :goal="planned" :lit="lit" />
      </div>
      <div v-if="machine && step.bays.length" class="front" :style="{ '--columns': machine.bay_columns }">
        <div v-for="b in machine.bays" :key="b.number" class="bay" :class="{ lit: step.bays.includes(b.number) }">
          {{ b.number }}
        </div>
      </div>
      <LabelInHand
        v-if="comes"
        :key="step.key"
        v-model:label="label"
        v-model:serial="serial"
        :run-id="id"
        :slot-id="comes"
        :noted="noted"
        @note="keepLabel" />
      <ul v-if="step.details.length" class="details">
        <li v-for="d in step.details" :key="d">{{ d }}</li>
      </ul>
      <fieldset v-if="step.checks.length" class="checks">
        <legend class="visually-hidden">Look at each</legend>
        <label v-for="c in step.checks" :key="c"
          ><input v-if="step.done_at" type="checkbox" checked disabled /><input
            v-else
            v-model="checked"
            type="checkbox"
            :value="c" />
          {{ c }}</label
        >
      </fieldset>
      <details v-if="step.hold" class="way">
        <summary>The way back from here</summary>
        <ol>
          <li v-for="w in step.back_out" :key="w">{{ w }}</li>
        </ol>
      </details>
      <ul v-if="remarks.length || step.not_right !== null" class="remarks">
        <li v-for="r in remarks" :key="r.id">
          <img v-if="r.is_photo" :src="`/api/runs/${id}/attachments/${r.id}`" :alt="`Photo by ${r.by}`" /><span v-else
            >{{ r.kind === 'doubt' ? 'Doubt on the sheet: ' : '' }}{{ r.text || 'not right' }}</span
          >{{ ' ' }}
          <span class="faded">{{ r.by }} {{ clock(r.at, zone) }}</span>
        </li>
      </ul>
      <SayForm
        v-if="asking"
        :key="asking"
        :about="asking"
        :step="step"
        :has-bays="!!machine?.bays.length"
        @say="say"
        @leave="asking = ''" />
    </section>
    <section v-else class="step">
      <h1>Every step is done.</h1>
      <p>
        It is
        {{
          view.state === 'proved'
            ? 'proved and back on duty'
            : view.state === 'waived'
              ? 'back on duty, with something waived'
              : view.state
        }}: <router-link class="quiet-link" :to="`/machines/${view.machine_id}/proof`">open Proof</router-link>.
      </p>
    </section>
    <footer>
      <p class="sent" :class="{ off: !connected }" role="status">{{ sentWords }}</p>
      <p v-if="step?.done_at" class="state" :class="step.proof === 'waived' ? '' : 'go'">
        {{ step.proof === 'waived' ? 'Waived' : step.proof ? 'Proved' : 'Done' }} {{ clock(step.done_at, zone) }} by
        {{ step.done_by }}{{ step.alone ? `; nobody else looked: ${step.alone}` : '' }}
      </p>
      <HoldAlone
        v-else-if="step && tickable === 'second' && !unchecked"
        class="state"
        :run-id="id"
        :step="step.key"
        :from="aloneFrom(view, waiting)"
        :connected="connected"
        @alone="done"
        @ticked="secondTicked" />
      <p v-else-if="step && tickable === 'look'" class="state">
        {{ view.state !== 'under way' ? `This run is ${view.state}.` : 'You may look, and not tick.' }}
      </p>
      <p v-if="pending.length && step && !step.proves" class="state">
        Proof still waits for: {{ pending.map((s) => `${s.text[0]!.toLowerCase()}${s.text.slice(1)}`).join('; ') }}.
      </p>
      <p v-for="w in refused" :key="w.id" class="state wrong" role="alert">
        Not taken: {{ w.refused }} <button type="button" class="quiet-link" @click="dismiss(w)">Read</button>
      </p>
      <div v-if="step" class="acts">
        <button type="button" class="plain" :disabled="!session.mayWrite()" @click="asking = 'wrong'">Not right</button>
        <router-link v-if="step.proves && !step.done_at" class="main go-on" :to="`/machines/${view.machine_id}/proof`"
          >Open Proof</router-link
        >
        <button
          v-else-if="!step.done_at && (tickable !== 'second' || unchecked)"
          type="button"
          class="main"
          :disabled="!may || unchecked > 0"
          @click="done()">
          {{ unchecked ? `${unchecked} to look at` : 'Done, next' }}
        </button>
        <button v-else-if="step.done_at" type="button" class="main" @click="looked = next?.key ?? null">Next</button>
      </div>
      <div class="walk">
        <button
          type="button"
          class="quiet-link"
          :disabled="index === 0"
          @click="looked = steps[index - 1]?.key ?? null">
          Before
        </button>
        <button type="button" class="quiet-link" :disabled="!session.mayWrite() || !step" @click="asking = 'note'">
          Note
        </button>
        <label class="quiet-link" :class="{ off: !session.mayWrite() || !step }"
          >Photo
          <input
            type="file"
            accept="image/*"
            capture="environment"
            class="visually-hidden"
            :disabled="!session.mayWrite() || !step"
            @change="photo"
        /></label>
        <button
          v-if="step?.done_at && !step.proves"
          type="button"
          class="quiet-link"
          @click="enter({ kind: 'undone', step: step!.key })">
          Untick
        </button>
        <button type="button" class="quiet-link" :disabled="!session.mayWrite() || !step" @click="asking = 'doubt'">
          Doubt the sheet
        </button>
        <button v-if="next && step && !step.done_at" type="button" class="quiet-link" @click="looked = next.key">
          After
        </button>
        <span v-if="next" class="then">then: {{ next.text }}</span>
        <button v-if="looked" type="button" class="quiet-link" @click="looked = null">To the step at hand</button>
      </div>
    </footer>
  </div>
  <p v-else-if="wrong" class="wrong alone" role="alert">{{ wrong }}</p>
</template>

<style scoped src="./presses.css"></style>
<style scoped>
.bench {
  min-height: 100vh;
  display: grid;
  grid-template: auto 1fr auto / minmax(0, 1fr);
  background: var(--paper);
  font-size: 17px;
}
header {
  position: sticky;
  top: 0;
  z-index: 2;
  display: flex;
  justify-content: space-between;
  flex-wrap: wrap;
  gap: 8px 12px;
  padding: 10px 16px 12px;
  background: #221c1a;
  color: #f5f1ea;
}
header .name {
  display: block;
  color: inherit;
  font-weight: 650;
  font-size: 19px;
  text-decoration: none;
}
.sub {
  display: block;
  color: #cfc3b6;
  font-size: 14px;
}
.right {
  text-align: right;
  white-space: nowrap;
}
.bar {
  position: absolute;
  inset: auto 0 0;
  height: 5px;
  background: linear-gradient(to right, #d9935f calc(100% * var(--done)), #4a3f38 0);
}
.step {
  padding: 14px 16px;
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 12px;
  align-content: start;
  width: 100%;
  max-width: 900px;
  margin: 0 auto;
}
h1 {
  font-size: 28px;
  line-height: 1.15;
}
.phase,
.why,
.with {
  margin: 0;
  color: var(--faded);
}
.phase {
  font-weight: 600;
  font-size: 15px;
}
.why {
  margin-top: 4px;
}
.held {
  margin-left: 10px;
  padding: 0 8px;
  border: 1.5px solid var(--umber);
  border-radius: 3px;
  color: var(--umber);
}
.picture {
  height: clamp(220px, 36vh, 420px);
  background: var(--sheet);
  border: 1px solid var(--rule);
}
.front {
  display: grid;
  grid-template-columns: repeat(var(--columns), minmax(0, 1fr));
  gap: 6px;
}
.bay {
  padding: 10px 0;
  text-align: center;
  font-size: 20px;
  font-weight: 650;
  border: 1px solid var(--module-edge);
  border-radius: 3px;
  background: var(--sheet);
}
.bay.lit {
  outline: 3px solid var(--umber);
}
.details,
.checks,
.way,
.remarks {
  margin: 0;
  padding: 12px 16px;
  background: var(--sheet);
  border: 1px solid var(--rule);
}
.details {
  padding-left: 32px;
}
.details li + li {
  margin-top: 6px;
}
.checks label {
  display: flex;
  gap: 12px;
  align-items: center;
  min-height: 44px;
}
.checks input {
  width: 24px;
  height: 24px;
  flex: none;
  accent-color: var(--umber);
}
.remarks {
  list-style: none;
  display: grid;
  gap: 8px;
}
.remarks img {
  display: block;
  max-width: 100%;
  max-height: 180px;
}
.way ol {
  padding-left: 22px;
}
.go-on {
  display: grid;
  place-items: center;
  text-decoration: none;
}
.proof {
  margin: 8px 0 0;
  padding: 8px 12px;
  border-left: 3px solid var(--umber);
  background: var(--sheet);
}
.acts {
  display: grid;
  grid-template-columns: minmax(0, 2fr) minmax(0, 5fr);
  gap: 10px;
}
footer {
  position: sticky;
  bottom: 0;
  padding: 10px 16px 12px;
  background: var(--paper);
  border-top: 1px solid var(--rule);
  display: grid;
  grid-template-columns: minmax(0, 1fr);
  gap: 8px;
  width: 100%;
  max-width: 900px;
  margin: 0 auto;
}
.sent {
  margin: 0;
  font-size: 14px;
  color: var(--faded);
  white-space: nowrap;
  overflow: hidden;
  text-overflow: ellipsis;
}
.sent.off {
  color: var(--ink);
  font-weight: 650;
}
.state {
  margin: 0;
  font-size: 15px;
  color: var(--ask);
}
.state.go {
  color: var(--go);
}
.walk {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  align-items: center;
  font-size: 15px;
}
.walk .quiet-link {
  min-height: 36px;
  display: inline-flex;
  align-items: center;
  cursor: pointer;
}
.walk .off {
  color: var(--faded);
}
.walk label:focus-within {
  outline: 2px solid var(--umber);
}
.then {
  flex: 1 0 100%;
  order: 1;
  color: var(--faded);
}
/* A finger in a glove. */
@media (pointer: coarse), (max-width: 700px) {
  .bench {
    --finger: 56px;
  }
  .checks label,
  .walk .quiet-link {
    min-height: var(--finger);
  }
  .walk {
    gap: 0 10px;
  }
  .walk .quiet-link {
    padding: 0 8px;
  }
  .checks input {
    width: 32px;
    height: 32px;
  }
  .way summary {
    display: flex;
    align-items: center;
  }
}
.alone {
  padding: 40px;
}
@media (max-width: 480px) {
  .picture {
    height: clamp(170px, 27vh, 300px);
  }
  h1 {
    font-size: 25px;
  }
}
</style>
