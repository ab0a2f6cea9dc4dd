<script setup lang="ts">
/** The run sheet at the bench: one step a screen, large, for one hand on a tablet or a phone; it works without a connection. */
import { computed, ref, shallowRef, watch } from 'vue'
import { Touch as vTouch } from 'vuetify/directives'
import { api, ask, Unreachable, wordsOf, type Layout, type MachineView, type Severity } from '@/api/client'
import BoardView from '@/board/BoardView.vue'
import { whereIs } from '@/board/where'
import { useLive } from '@/stations/live'
import { useTitle } from '@/ui/title'
import { session } from '@/frame/session'
import CodeCamera from '@/ui/CodeCamera.vue'
import SeverityMark from '@/ui/SeverityMark.vue'
import { layoutAt, minutesWords, PHASES, PROOF } from '@/stations/run/words'
import { useWakeLock } from '@/ui/wake'
import { useNarrow } from '@/ui/width'
import { clock } from '@/ui/words'
import HoldAlone from './HoldAlone.vue'
import { aloneFrom, atHand, ticking, useRun } from './run'

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
useLive(() => view.value?.machine_id, () => void reload())
useWakeLock()
useTitle(() => (view.value ? `${view.value.machine}: bench` : 'Bench'))

const open = computed(() => atHand(steps.value))
/** A step looked at although another is at hand. */
const looked = ref<string | null>(null)
const step = computed(() => steps.value.find((s) => s.key === looked.value) ?? open.value)
const index = computed(() => (step.value ? steps.value.indexOf(step.value) : steps.value.length))
const next = computed(() => steps.value[index.value + 1] ?? null)
const tickable = computed(() => (view.value && step.value ? ticking(view.value, step.value, waiting.value, session.account) : 'look'))
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
const pending = computed(() => steps.value.filter((s) => s.proves && !s.done_at && s.number < (step.value?.number ?? 0)))
const checked = ref<string[]>([])
watch(
  () => step.value?.key,
  () => {
    checked.value = []
    asking.value = ''
    text.value = ''
    label.value = ''
    serial.value = ''
    handWords.value = null
    window.scrollTo(0, 0)
  },
)
const unchecked = computed(() => (step.value?.checks ?? []).filter((c) => !checked.value.includes(c)).length)
const lit = computed<Map<string, Severity | 'plain'>>(() => new Map((step.value?.slots ?? []).map((s) => [s, 'plain'])))
/** As it is with the steps before this one done. */
const fitted = computed(() => (view.value ? layoutAt(steps.value.slice(0, index.value), view.value.now as Layout, view.value.goal as Layout) : {}))
const planned = computed(() => (view.value && step.value ? layoutAt([...steps.value.slice(0, index.value), { ...step.value, done_at: 'now' }], view.value.now as Layout, view.value.goal as Layout) : {}))
const moreBays = ref('')
const printed = ref('')
const seal = ref(false)
const asking = ref<'' | 'note' | 'wrong' | 'doubt'>('')
const text = ref('')
const zone = computed(() => machine.value?.zone ?? 'UTC')
const remarks = computed(() => view.value?.remarks.filter((r) => r.step === step.value?.key) ?? [])

/** The slot that gets a module at this step. */
const comes = computed(() => (step.value && step.value.do !== null && step.value.do !== 'take-out' ? (step.value.slots.at(-1) ?? null) : null))
const where = computed(() => (step.value?.do && machine.value && step.value.slots.length ? whereIs(machine.value.board, step.value.slots.at(-1)!) : null))
const label = ref('')
const serial = ref('')
/** Always one line, at the head of what is pressed: were it to come and go, what is below would move from under the thumb. */
const sentWords = computed(() => {
  const ticks = `${unsent.value} ${unsent.value === 1 ? 'tick' : 'ticks'} kept here`
  if (!connected.value) return unsent.value ? `No connection: ${ticks}, sent when it is back` : 'No connection: ticks are kept here'
  return unsent.value ? `On its way: ${ticks}` : 'Every tick is sent'
})
const handWords = ref<{ fits: boolean; words: string } | null>(null)
async function compareLabel(): Promise<void> {
  try {
    const params = { path: { run_id: props.id, slot: comes.value! } }
    const found = await ask(api.POST('/api/runs/{run_id}/slots/{slot}/label', { params, body: { text: label.value } }))
    const differs = found.differs.map((m) => m.replace(/_/g, ' ')).join(', ')
    handWords.value = { fits: found.matches, words: found.matches ? `Matches the plan${found.stickers.length ? '; only the sticker differs' : ''}.` : !found.differs.length ? `Its number does not say whether it is the planned one. ${found.notes.join('. ')}.` : `Not what is planned: ${differs} ${found.differs.length === 1 ? 'differs' : 'differ'} (${found.short}).` }
  } catch (error) {
    handWords.value = { fits: false, words: error instanceof Unreachable ? 'It cannot be compared without a connection: look yourself.' : wordsOf(error) }
  }
}

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
async function say(): Promise<void> {
  const kind = asking.value === 'wrong' ? ('not-right' as const) : asking.value === 'doubt' ? ('doubt' as const) : ('note' as const)
  const plain = { step: step.value!.key, text: text.value }
  // What is not as its sheet says, said so that the sheet can be corrected at a press.
  const bays = moreBays.value.split(/[^0-9]+/).filter(Boolean).map(Number)
  const entry = kind === 'doubt' ? ({ kind, ...plain, bays, printed: printed.value, seal: seal.value } as const) : ({ kind, ...plain } as const)
  asking.value = ''
  text.value = moreBays.value = printed.value = ''
  seal.value = false
  await enter(entry)
}
/** The light at the machine itself: it goes off with the run, and can be switched off before. */
const lighting = ref(false)
const lightWrong = ref('')
async function light(on: boolean): Promise<void> {
  lighting.value = true
  lightWrong.value = ''
  try {
    await ask(api.PUT('/api/runs/{run_id}/light', { params: { path: { run_id: props.id } }, body: { on } }))
    await reload()
  } catch (error) {
    lightWrong.value = error instanceof Unreachable ? 'It cannot be switched without a connection.' : wordsOf(error)
  } finally {
    lighting.value = false
  }
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
        <span class="sub">{{ view.taken_min === null ? '' : `${Math.round(view.taken_min)} min, of ` }}{{ minutesWords(view.down) }}</span>
      </div>
      <p v-if="view.light && (view.state === 'under way' || view.light.since)" class="light">
        <button v-if="view.state === 'under way'" type="button" class="lamp" :aria-pressed="!!view.light.since" :disabled="lighting || !connected || !session.mayWrite()" @click="light(!view.light.since)">{{ lighting ? 'Asking its controller' : view.light.since ? `Its light is on since ${clock(view.light.since, zone)}: switch it off` : 'Which one is it? Light it up' }}</button>
        <span v-else>Its light is still on{{ view.light.trouble ? `: ${view.light.trouble}` : ', and is being switched off' }}</span>
        <span v-if="lightWrong" role="alert">{{ lightWrong }}</span>
      </p>
      <div class="bar" :style="{ '--done': index / Math.max(1, steps.length) }"></div>
    </header>
    <section v-if="step" class="step" aria-label="The step at hand">
      <div v-touch="swipe" class="say">
        <p class="phase">{{ PHASES[step.phase] ?? step.phase }}<b v-if="step.hold" class="held">Hold</b></p>
        <h1>{{ step.text }}</h1>
        <p v-if="step.why" class="why">{{ step.why }}</p>
        <p v-if="where && (where.place || step.do)" class="why"><b>{{ where.name }}</b>: {{ [where.place, where.among].filter(Boolean).join('; ') }}</p>
        <p v-if="step.tools.length" class="with">With: {{ step.tools.join(', ') }}</p>
        <p v-if="step.proof" class="proof"><SeverityMark :severity="PROOF[step.proof]?.mark ?? 'ask'" /> <b>{{ PROOF[step.proof]?.word }}:</b> {{ step.proof_words }}</p>
        <p v-if="step.minutes.high" class="with">{{ step.waits ? 'Wait ' : '' }}{{ minutesWords(step.minutes) }}</p>
      </div>
      <div v-if="machine && (step.slots.length || step.carrier)" v-touch="swipe" class="picture"><BoardView :board="machine.board" :socket="socket" :now="fitted" :goal="planned" :lit="lit" /></div>
      <div v-if="machine && step.bays.length" class="front" :style="{ '--columns': machine.bay_columns }">
        <div v-for="b in machine.bays" :key="b.number" class="bay" :class="{ lit: step.bays.includes(b.number) }">{{ b.number }}</div>
      </div>
      <form v-if="comes" class="fields hand" @submit.prevent="compareLabel">
        <label>Label in your hand <input v-model="label" class="mono" maxlength="400" autocapitalize="characters" autocomplete="off" spellcheck="false" /></label>
        <button type="submit" class="plain small-plain" :disabled="!label.trim()">Compare</button>
        <CodeCamera @read="label = $event" />
        <label>Its serial <input v-model="serial" class="mono" maxlength="200" autocapitalize="characters" autocomplete="off" spellcheck="false" :placeholder="noted" /></label>
        <button type="button" class="plain small-plain" :disabled="!label.trim() && !serial.trim()" @click="keepLabel">Note</button>
        <p v-if="noted" class="says go">Noted: {{ noted }}</p>
        <p v-if="handWords" class="says" :class="handWords.fits ? 'go' : 'wrong'" role="status">{{ handWords.words }}</p>
      </form>
      <ul v-if="step.details.length" class="details"><li v-for="d in step.details" :key="d">{{ d }}</li></ul>
      <fieldset v-if="step.checks.length" class="checks">
        <legend class="visually-hidden">Look at each</legend>
        <label v-for="c in step.checks" :key="c"><input v-if="step.done_at" type="checkbox" checked disabled /><input v-else v-model="checked" type="checkbox" :value="c" /> {{ c }}</label>
      </fieldset>
      <details v-if="step.hold" class="way"><summary>The way back from here</summary><ol><li v-for="w in step.back_out" :key="w">{{ w }}</li></ol></details>
      <ul v-if="remarks.length || step.not_right !== null" class="remarks">
        <li v-for="r in remarks" :key="r.id"><img v-if="r.is_photo" :src="`/api/runs/${id}/attachments/${r.id}`" :alt="`Photo by ${r.by}`" /><span v-else>{{ r.kind === 'doubt' ? 'Doubt on the sheet: ' : '' }}{{ r.text || 'not right' }}</span> <span class="faded">{{ r.by }} {{ clock(r.at, zone) }}</span></li>
      </ul>
      <form v-if="asking" class="fields ask" @submit.prevent="say">
        <label>{{ asking === 'wrong' ? 'What is not right?' : asking === 'doubt' ? 'What is not as its sheet says?' : 'Note' }} <input v-model="text" maxlength="2000" :required="asking !== 'wrong'" /></label>
        <template v-if="asking === 'doubt' && step">
          <label v-if="machine?.bays.length">Bays that had to come out too <input v-model="moreBays" inputmode="numeric" placeholder="3" maxlength="60" /></label>
          <label v-if="step.slots.length === 1">Printed at the slot <input v-model="printed" maxlength="60" placeholder="J7" /></label>
          <label class="seal"><input v-model="seal" type="checkbox" /> a seal breaks: opening it ends the warranty</label>
        </template>
        <div class="two"><button type="button" class="plain" @click="asking = ''">Cancel</button><button type="submit" class="main">Keep it</button></div>
      </form>
    </section>
    <section v-else class="step"><h1>Every step is done.</h1><p>It is {{ view.state === 'proved' ? 'proved and back on duty' : view.state === 'waived' ? 'back on duty, with something waived' : view.state }}: <router-link class="quiet-link" :to="`/machines/${view.machine_id}/proof`">open Proof</router-link>.</p></section>
    <footer>
      <p class="sent" :class="{ off: !connected }" role="status">{{ sentWords }}</p>
      <p v-if="step?.done_at" class="state" :class="step.proof === 'waived' ? '' : 'go'">{{ step.proof === 'waived' ? 'Waived' : step.proof ? 'Proved' : 'Done' }} {{ clock(step.done_at, zone) }} by {{ step.done_by }}{{ step.alone ? `; nobody else looked: ${step.alone}` : '' }}</p>
      <HoldAlone v-else-if="step && tickable === 'second' && !unchecked" class="state" :run-id="id" :step="step.key" :from="aloneFrom(view, waiting)" :connected="connected" @alone="done" @ticked="secondTicked" />
      <p v-else-if="step && tickable === 'look'" class="state">{{ view.state !== 'under way' ? `This run is ${view.state}.` : 'You may look, and not tick.' }}</p>
      <p v-if="pending.length && step && !step.proves" class="state">Proof still waits for: {{ pending.map((s) => `${s.text[0]!.toLowerCase()}${s.text.slice(1)}`).join('; ') }}.</p>
      <p v-for="w in refused" :key="w.id" class="state wrong" role="alert">Not taken: {{ w.refused }} <button type="button" class="quiet-link" @click="dismiss(w)">Read</button></p>
      <div v-if="step" class="acts">
        <button type="button" class="plain" :disabled="!session.mayWrite()" @click="asking = 'wrong'">Not right</button>
        <router-link v-if="step.proves && !step.done_at" class="main go-on" :to="`/machines/${view.machine_id}/proof`">Open Proof</router-link>
        <button v-else-if="!step.done_at && (tickable !== 'second' || unchecked)" type="button" class="main" :disabled="!may || unchecked > 0" @click="done()">{{ unchecked ? `${unchecked} to look at` : 'Done, next' }}</button>
        <button v-else-if="step.done_at" type="button" class="main" @click="looked = next?.key ?? null">Next</button>
      </div>
      <div class="walk">
        <button type="button" class="quiet-link" :disabled="index === 0" @click="looked = steps[index - 1]?.key ?? null">Before</button>
        <button type="button" class="quiet-link" :disabled="!session.mayWrite() || !step" @click="asking = 'note'">Note</button>
        <label class="quiet-link" :class="{ off: !session.mayWrite() || !step }">Photo <input type="file" accept="image/*" capture="environment" class="visually-hidden" :disabled="!session.mayWrite() || !step" @change="photo" /></label>
        <button v-if="step?.done_at && !step.proves" type="button" class="quiet-link" @click="enter({ kind: 'undone', step: step!.key })">Untick</button>
        <button type="button" class="quiet-link" :disabled="!session.mayWrite() || !step" @click="asking = 'doubt'">Doubt the sheet</button>
        <button v-if="next && step && !step.done_at" type="button" class="quiet-link" @click="looked = next.key">After</button>
        <span v-if="next" class="then">then: {{ next.text }}</span>
        <button v-if="looked" type="button" class="quiet-link" @click="looked = null">To the step at hand</button>
      </div>
    </footer>
  </div>
  <p v-else-if="wrong" class="wrong alone" role="alert">{{ wrong }}</p>
</template>

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
.light {
  flex: 1 0 100%;
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: center;
  margin: 0;
  font-size: 15px;
}
.lamp {
  min-height: 44px;
  padding: 0 14px;
  border: 1px solid #a89c8c;
  border-radius: 3px;
  background: none;
  color: inherit;
  font: inherit;
}
.lamp[aria-pressed='true'] {
  border-color: #f2c14b;
  background: #f2c14b;
  color: #221c1a;
}
.lamp:disabled {
  opacity: 0.6;
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
.remarks,
.ask {
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
.hand {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 6px 12px;
  align-items: end;
  padding: 10px 16px 12px;
  background: var(--sheet);
  border: 1px solid var(--rule);
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
.small-plain {
  min-height: 44px;
  padding: 0 16px;
  font-size: 16px;
}
.says {
  grid-column: 1 / -1;
  margin: 0;
  font-weight: 650;
}
.says.go {
  color: var(--go);
}
.ask {
  display: grid;
  gap: 10px;
}
.two,
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
.main,
.plain {
  min-height: 64px;
  border-radius: 4px;
  font-size: 19px;
  font-weight: 650;
}
.main {
  background: var(--umber);
  color: var(--on-umber);
}
.plain {
  border: 1.5px solid var(--umber);
  color: var(--umber);
  background: var(--sheet);
}
.main:disabled,
.plain:disabled {
  background: var(--rule);
  color: var(--faded);
  border-color: var(--rule);
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
  .main,
  .plain {
    --finger: 64px;
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
