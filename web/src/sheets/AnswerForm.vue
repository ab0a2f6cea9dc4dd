<script setup lang="ts">
/** One question, open: its answer as the shape asks for it, or by touching the board; its source; what the guide does not say. */
import { computed, nextTick, onBeforeUnmount, onMounted, ref, watch } from 'vue'
import type { Board, Severity, SheetQuestion } from '@/api/client'
import { boardAs, channelsOf, orderAt, putOn, setsBy, touchSet, type Order } from './onboard'
import ShapeField from './ShapeField.vue'
import { blockOf, inWords, work, type AnswerBody } from './work'

const props = defineProps<{ question: SheetQuestion }>()
const w = work()
const asked = computed(() => w.askOf(props.question))
const shape = computed(() => asked.value.shape)
const copy = (v: unknown): unknown => (v === undefined || v === null ? undefined : JSON.parse(JSON.stringify(v)))
/** What is told. What only ran is shown beside, and told by nobody until somebody does. */
const toldIn = (q: SheetQuestion): unknown => (q.state === 'told' ? copy(q.value) : undefined)
const value = ref<unknown>(toldIn(props.question))
const told = computed(() => JSON.stringify(value.value ?? null) !== JSON.stringify(toldIn(props.question) ?? null))
const source = ref(props.question.source ?? '')
const clause = ref(props.question.clause ?? '')
const fresh = ref<{ title: string; kind: string; date: string } | null>(null)
const silent = ref<'' | 'untold' | 'open'>('')
const words = ref(props.question.words)
const looked = ref(props.question.looked || new Date().toISOString().slice(0, 10))
const wrong = ref<Record<string, string>>({})
const form = ref<HTMLElement>()
/** Each of its lines names a source of its own. */
const ownSource = computed(
  () =>
    shape.value.kind === 'list' &&
    shape.value.of?.kind === 'record' &&
    shape.value.of.fields.some((f) => f.name === 'source'),
)
const KINDS = {
  'machine-maker': "machine's maker",
  'processor-maker': "processor's maker",
  'module-maker': "module's maker",
  'board-maker': "board's maker",
  survey: 'seen at a machine',
  named: 'somebody named',
  hearsay: 'hearsay',
  'own-proof': 'proved here',
} as const

const valueOf = (key: string) => w.questions.value.find((q) => q.key === key)?.value
const titles = computed(() => (valueOf('sources') ?? {}) as Record<string, { title?: string }>)
const keysOf = (key: string) => Object.keys((valueOf(key) as object | null) ?? {})
const locals = computed(() => w.last.value?.names[blockOf(props.question.key)] ?? {})
const slots = computed(() => [...new Set(Object.values(locals.value))])
const names = computed<Record<string, string[]>>(() => ({
  source: keysOf('sources'),
  socket: keysOf('sockets'),
  sockets: keysOf('sockets'),
  over: [...keysOf('sockets'), ...keysOf('carriers')],
  processor: keysOf('processors'),
  processors: keysOf('processors'),
  access: keysOf('access'),
  carrier: keysOf('carriers'),
  channels: keysOf(`${blockOf(props.question.key)}${blockOf(props.question.key) ? '.' : ''}channels`),
}))

/** What was sent last, and how many answers are on their way. */
let sentLast = ''
let away = 0
const asJson = (v: unknown) => JSON.stringify(v ?? null)
// Another's answer, or one's own that was taken back, is shown; what is typed here and not answered stays.
watch(
  () => props.question,
  (now, before) => {
    if (
      !away &&
      asJson(toldIn(now)) !== asJson(toldIn(before)) &&
      [sentLast, asJson(toldIn(before))].includes(asJson(value.value))
    )
      value.value = toldIn(now)
    if (now.source !== before.source) source.value = now.source ?? ''
    if (now.clause !== before.clause) clause.value = now.clause ?? ''
  },
)

async function send(body: Partial<AnswerBody>): Promise<boolean> {
  sentLast = asJson(value.value)
  const sourced =
    props.question.sourced && !ownSource.value
      ? {
          source: source.value && source.value !== props.question.source ? source.value : null,
          clause: clause.value !== (props.question.clause ?? '') ? clause.value : null,
          new_source: fresh.value?.title.trim()
            ? { title: fresh.value.title.trim(), kind: fresh.value.kind as 'survey', date: fresh.value.date || null }
            : null,
        }
      : {}
  away++
  const done = await w.answer(props.question.key, {
    state: 'told',
    value: null,
    words: '',
    looked: '',
    source: null,
    clause: null,
    new_source: null,
    ...sourced,
    ...body,
  })
  away--
  if (done) {
    fresh.value = null
    silent.value = ''
    if (!away && asJson(value.value) === sentLast) value.value = toldIn(props.question)
  }
  return done
}
const empty = computed(
  () =>
    value.value === undefined ||
    value.value === null ||
    value.value === '' ||
    (typeof value.value === 'object' && !Object.keys(value.value as object).length),
)
const faulty = computed(() => Object.values(wrong.value).find(Boolean) ?? '')
const seenBeside = computed(() =>
  props.question.state === 'open' || props.question.state === 'untold' ? props.question.value : null,
)
/** With nothing said, a fact stays as it was: only its source is told. */
const tell = () =>
  send(
    empty.value
      ? {
          state: props.question.state === 'told' ? 'left' : props.question.state,
          words: props.question.words,
          looked: props.question.looked,
          value: seenBeside.value ?? null,
        }
      : { state: 'told', value: value.value },
  )
/** A word that is all of the answer is given by choosing it. */
const byChoice = computed(() => shape.value.kind === 'choice' || shape.value.kind === 'flag')
function choose(v: unknown): void {
  value.value = v
  if (byChoice.value && v !== undefined) void tell()
}
const say = (state: 'untold' | 'open') =>
  send({
    state,
    value: seenBeside.value ?? null,
    words: words.value.trim(),
    looked: state === 'untold' ? looked.value : '',
  })

// -- on the board ---------------------------------------------------------------------------------------

const begins = ref(false)
const brush = ref('')
const touched = ref('')
const count = ref(Object.keys(orderAt(value.value).entries[orderAt(value.value).index]?.counts ?? {}).at(-1) ?? '')
/** The entry of several that is shown on the board; null = the one that has sets. */
const shownEntry = ref<number | null>(null)
const order = computed(() => {
  const found = orderAt(value.value)
  return shownEntry.value === null ? found : { ...found, index: Math.min(shownEntry.value, found.entries.length) }
})
function showEntry(index: number): void {
  shownEntry.value = index
  begins.value = false
  count.value = Object.keys(order.value.entries[index]?.counts ?? {}).at(-1) ?? ''
}
async function dropEntry(): Promise<void> {
  value.value = order.value.entries.filter((_, i) => i !== order.value.index)
  shownEntry.value = null
  await send({ state: order.value.entries.length ? 'told' : 'left', value: value.value })
}
const entry = computed<Order>(() => order.value.entries[order.value.index] ?? {})
const byCount = computed(() => !!entry.value.counts)
const sets = computed<string[][]>(() =>
  byCount.value ? (entry.value.counts![count.value] ?? []) : (entry.value.fill ?? []),
)
const rest = computed(() =>
  Object.fromEntries(Object.entries(entry.value).filter(([k]) => k !== 'fill' && k !== 'counts')),
)
const entryShape = computed(() => ({
  ...shape.value.of!,
  fields: shape.value.of!.fields.filter(
    (f) =>
      ![
        ...['fill', 'counts'],
        ...(order.value.entries.length > 1 || order.value.index ? [] : ['scope', 'where']),
      ].includes(f.name),
  ),
}))
const channels = computed(() => channelsOf(value.value))
const perSlot = computed(() => (value.value ?? {}) as Record<string, unknown>)
const field = computed(() => props.question.key.split('.').at(-1)!)
/** What one of several has: chosen once, then touched where it is. Else each slot is told its own. */
const brushes = computed(() => ['tab', 'position', 'access', 'carrier', 'facing'].includes(field.value))
const colours = computed(() => [
  ...new Set([
    ...(shape.value.of?.kind === 'choice' ? shape.value.of.options.map(String) : []),
    ...(names.value[field.value] ?? []),
    ...Object.values(perSlot.value).map(String),
  ]),
])

function setEntry(now: Order): void {
  const entries = [...order.value.entries]
  entries[order.value.index] = now
  value.value = entries
}
function setSets(now: string[][]): void {
  if (!byCount.value) return setEntry({ ...rest.value, fill: now })
  const counts = { ...entry.value.counts }
  delete counts[count.value]
  const total = now.flat().length
  // What holds so many modules is named by their number.
  count.value = total ? String(total) : ''
  setEntry({ ...rest.value, counts: total ? { ...counts, [count.value]: now } : counts })
}
async function touchOrder(slot: string): Promise<void> {
  setSets(touchSet(sets.value, slot, begins.value))
  begins.value = false
  await send({ state: order.value.entries.length ? 'told' : 'left', value: value.value })
}
async function shortcut(now: string[][]): Promise<void> {
  setSets(now)
  await send({ state: 'told', value: value.value })
}
function mode(counts: boolean): void {
  if (counts === byCount.value) return
  const now = sets.value
  const steps = now.map((_, i) => now.slice(0, i + 1))
  if (counts) {
    const told = Object.fromEntries(steps.map((s) => [String(s.flat().length), s]))
    count.value = Object.keys(told).at(-1) ?? ''
    setEntry({ ...rest.value, counts: told })
  } else {
    const most = Object.entries(entry.value.counts ?? {}).sort((a, b) => Number(b[0]) - Number(a[0]))[0]
    setEntry({ ...rest.value, fill: most?.[1] ?? [] })
  }
}
async function touchChannel(slot: string): Promise<void> {
  const name = brush.value
  if (!name) return
  value.value = putOn(channels.value, slot, name)
  await send({ state: 'told', value: value.value })
}
function addChannel(name: string): void {
  if (name && !(name in channels.value)) value.value = { ...channels.value, [name]: { slots: [] } }
  brush.value = name
}
async function touchSlot(slot: string): Promise<void> {
  if (field.value === 'behind') {
    if (!touched.value || touched.value === slot) return void (touched.value = touched.value === slot ? '' : slot)
    const had = (perSlot.value[touched.value] as string[] | undefined) ?? []
    return setSlot(touched.value, had.includes(slot) ? had.filter((s) => s !== slot) : [...had, slot])
  }
  if (brushes.value)
    return brush.value ? setSlot(slot, perSlot.value[slot] === brush.value ? undefined : brush.value) : undefined
  touched.value = slot
  await nextTick()
  form.value?.querySelector<HTMLElement>('.own input')?.focus()
}
async function setSlot(slot: string, v: unknown): Promise<void> {
  const now = { ...perSlot.value }
  if (v === undefined || v === '' || (Array.isArray(v) && !v.length)) delete now[slot]
  else now[slot] = v
  value.value = now
  await send({ state: Object.keys(now).length ? 'told' : 'left', value: now })
}
const allSame = async (v: string) => {
  value.value = Object.fromEntries(slots.value.map((s) => [s, v]))
  await send({ state: 'told', value: value.value })
}

const setOf = computed(() => new Map(sets.value.flatMap((s, i) => s.map((slot) => [slot, i + 1] as const))))
const overlay = computed<{
  board?: Board | null
  lit: Map<string, Severity | 'plain'>
  order: boolean
  words: string
  steps?: { slots: string[]; total: number }[]
}>(() => {
  const board = w.last.value?.board
  const lit = new Map<string, Severity | 'plain'>()
  const each = Object.entries(locals.value)
  if (asked.value.board === 'order') {
    const open = sets.value.length
    for (const [id, name] of each) if (setOf.value.get(name) === open) lit.set(id, 'plain')
    const steps = sets.value.map((s, i) => ({ slots: s, total: sets.value.slice(0, i + 1).flat().length }))
    return {
      steps,
      board: board && boardAs(board, locals.value, (n) => ({ order: setOf.value.get(n) ?? null })),
      lit,
      order: true,
      words:
        begins.value || !open
          ? `Touch a slot and it begins set ${open + 1}.`
          : `Touch a slot and it joins set ${open}; one that is in a set leaves it.`,
    }
  }
  if (asked.value.board === 'channels') {
    for (const [id, name] of each)
      if (brush.value && channels.value[brush.value]?.slots.includes(name)) lit.set(id, 'plain')
    return {
      board,
      lit,
      order: false,
      words: brush.value ? `Touch the slots of channel ${brush.value}.` : 'Choose a channel first.',
    }
  }
  for (const [id, name] of each)
    if (
      brushes.value
        ? perSlot.value[name] === brush.value && brush.value
        : field.value === 'behind' && touched.value
          ? name === touched.value || ((perSlot.value[touched.value] as string[]) ?? []).includes(name)
          : name === touched.value
    )
      lit.set(id, 'plain')
  return {
    board,
    lit,
    order: false,
    words: brushes.value
      ? brush.value
        ? `Touch what is ${brush.value}; touched again it is not.`
        : 'Choose one first, then touch slots.'
      : field.value === 'behind'
        ? touched.value
          ? `Touch what must come out before ${touched.value} is reached.`
          : 'Touch the slot that lies behind others.'
        : touched.value
          ? `Say it of ${touched.value}.`
          : 'Touch a slot, and say it.',
  }
})
function onTouch(id: string): void {
  const slot = locals.value[id]
  if (!slot || !w.mayWrite.value) return
  void (asked.value.board === 'order'
    ? touchOrder(slot)
    : asked.value.board === 'channels'
      ? touchChannel(slot)
      : touchSlot(slot))
}
watch(
  overlay,
  (o) => {
    if (asked.value.board && slots.value.length)
      w.touching.value = { question: props.question.key, tell: onTouch, ...o }
  },
  { immediate: true },
)
onBeforeUnmount(() => {
  if (w.touching.value?.question === props.question.key) w.touching.value = null
})
onMounted(() => form.value?.focus({ preventScroll: true }))
const tabOf = (slot: string) =>
  String(
    (
      valueOf(`${blockOf(props.question.key)}${blockOf(props.question.key) ? '.' : ''}slots.tab`) as Record<
        string,
        unknown
      > | null
    )?.[slot] ?? '',
  )
const numberOf = (slot: string) => /(\d+)\D*$/.exec(slot)?.[1] ?? slot
</script>

<template>
  <form ref="form" class="answer" tabindex="-1" :aria-label="asked.words" @submit.prevent="tell">
    <p v-if="asked.hint" class="small faded hint">{{ asked.hint }}</p>
    <p v-for="o in question.open" :key="o.what" class="small could">
      <b>Open</b>: {{ o.what }}. <span class="faded">Could hide {{ o.hides }}. It stands in {{ o.where }}.</span>
    </p>
    <p v-if="seenBeside" class="small">
      <span class="faded">Seen to run:</span> {{ inWords(seenBeside) }}
      <button v-if="w.mayWrite.value" type="button" class="quiet-link" @click="value = copy(seenBeside)">
        take it as told
      </button>
    </p>
    <fieldset :disabled="!w.mayWrite.value">
      <template v-if="asked.board === 'order' && slots.length">
        <div v-if="order.entries.length" class="row" role="group" aria-label="Which part of the order">
          <button
            v-for="(_, i) in order.entries"
            :key="i"
            type="button"
            class="choice"
            :aria-pressed="i === order.index"
            :aria-label="`Part ${i + 1} of the order`"
            @click="showEntry(i)">
            {{ i + 1 }}
          </button>
          <button
            type="button"
            class="quiet-link"
            :aria-pressed="order.index === order.entries.length"
            @click="showEntry(order.entries.length)">
            another part
          </button>
          <button
            v-if="order.entries.length > 1 && order.index < order.entries.length"
            type="button"
            class="quiet-link"
            @click="dropEntry">
            take this part away
          </button>
        </div>
        <div class="row" role="group" aria-label="How it is told">
          <button type="button" class="choice" :aria-pressed="!byCount" @click="mode(false)">in sets</button>
          <button type="button" class="choice" :aria-pressed="byCount" @click="mode(true)">by count</button>
          <button
            v-if="new Set(slots.map(tabOf)).size > 1"
            type="button"
            class="quiet-link"
            @click="shortcut(setsBy(slots, tabOf))">
            by tab colour
          </button>
          <button
            v-if="new Set(slots.map(numberOf)).size > 1"
            type="button"
            class="quiet-link"
            @click="shortcut(setsBy(slots, numberOf))">
            by numbers
          </button>
        </div>
        <p v-if="byCount" class="row" role="group" aria-label="Number of modules">
          <button
            v-for="(_, n) in entry.counts"
            :key="n"
            type="button"
            class="choice"
            :aria-pressed="String(n) === count"
            @click="count = String(n)">
            {{ n }}
          </button>
          <button type="button" class="quiet-link" @click="((count = ''), (begins = true))">another number</button>
        </p>
        <button type="button" class="press slim quiet" :disabled="!sets.length || begins" @click="begins = true">
          Close set {{ sets.length || 1 }}
        </button>
        <ShapeField
          :model-value="rest"
          :shape="entryShape"
          label="The order"
          :names="names"
          @update:model-value="
            setEntry({
              ...($event as Order),
              ...(entry.fill ? { fill: entry.fill } : {}),
              ...(entry.counts ? { counts: entry.counts } : {}),
            })
          "
          @wrong="(id, what) => (wrong[id] = what)" />
        <p v-if="order.entries.length > 1" class="small faded">
          The others:
          {{
            order.entries
              .filter((_, i) => i !== order.index)
              .map((e) => inWords(e))
              .join('; ')
          }}.
        </p>
      </template>
      <template v-else-if="asked.board === 'channels' && slots.length">
        <div class="row" role="group" aria-label="Channel">
          <button
            v-for="(c, n) in channels"
            :key="n"
            type="button"
            class="choice mono"
            :aria-pressed="brush === String(n)"
            @click="brush = String(n)">
            {{ n }} <span class="faded small">{{ c.slots.join(' ') }}</span>
          </button>
        </div>
        <input
          class="fresh mono"
          placeholder="another channel"
          aria-label="Another channel"
          maxlength="60"
          @keydown.enter.prevent="
            (e) => (
              addChannel((e.target as HTMLInputElement).value.trim()),
              ((e.target as HTMLInputElement).value = '')
            )
          " />
      </template>
      <template v-else-if="asked.board === 'slots'">
        <template v-if="brushes">
          <div class="row" role="group" :aria-label="asked.words">
            <button
              v-for="c in colours"
              :key="c"
              type="button"
              class="choice"
              :aria-pressed="brush === c"
              @click="brush = brush === c ? '' : c">
              {{ c }}
            </button>
            <input
              v-if="shape.of?.kind === 'text' && !names[field]?.length"
              class="fresh"
              placeholder="another"
              aria-label="Another"
              maxlength="60"
              @change="
                (e) => (
                  (brush = (e.target as HTMLInputElement).value.trim()),
                  ((e.target as HTMLInputElement).value = '')
                )
              " />
          </div>
          <button v-if="brush" type="button" class="quiet-link" @click="allSame(brush)">
            all {{ slots.length }} slots: {{ brush }}
          </button>
        </template>
        <div v-else-if="touched" class="own">
          <b class="mono">{{ touched }}</b>
          <ShapeField
            v-if="field !== 'behind'"
            :key="touched"
            :model-value="perSlot[touched]"
            :shape="shape.of!"
            :label="`${asked.words} ${touched}`"
            :names="names"
            @update:model-value="value = { ...perSlot, [touched]: $event }"
            @wrong="(id, what) => (wrong[id] = what)" />
          <span v-else
            >behind <span class="mono">{{ ((perSlot[touched] as string[]) ?? []).join(', ') || 'none' }}</span></span
          >
        </div>
        <p class="small said">
          <template
            v-for="s in [
              ...slots.filter((x) => x in perSlot),
              ...Object.keys(perSlot).filter((x) => !slots.includes(x)),
            ]"
            :key="s"
            ><span class="mono">{{ s }}</span> {{ inWords(perSlot[s]) }}&ensp;</template
          >
        </p>
      </template>
      <ShapeField
        v-else
        :model-value="value"
        :shape="shape"
        :label="asked.words"
        :names="names"
        :name="field"
        @update:model-value="choose"
        @wrong="(id, what) => (wrong[id] = what)" />
      <div v-if="question.sourced && !ownSource" class="source">
        <select
          v-model="source"
          aria-label="Source"
          @change="source === '+' && ((fresh = { title: '', kind: 'machine-maker', date: '' }), (source = ''))">
          <option value="" disabled>source</option>
          <option v-for="s in names.source" :key="s" :value="s">{{ titles[s]?.title ?? s }}</option>
          <option value="+">a new one …</option>
        </select>
        <input v-model="clause" placeholder="clause" aria-label="Clause" maxlength="200" />
        <div v-if="fresh" class="fresh-source">
          <input
            v-model="fresh.title"
            placeholder="title of the guide or data sheet"
            aria-label="Title of the new source"
            maxlength="120" />
          <select v-model="fresh.kind" aria-label="From whom">
            <option v-for="(k, v) in KINDS" :key="v" :value="v">{{ k }}</option>
          </select>
          <input v-model="fresh.date" placeholder="2026-05-31" aria-label="Date of the new source" maxlength="20" />
        </div>
        <p class="faded small over">holds for all of its block</p>
      </div>
    </fieldset>
    <div v-if="w.mayWrite.value" class="do">
      <button
        type="submit"
        class="press slim"
        :disabled="
          !!faulty ||
          (empty &&
            question.state !== 'told' &&
            question.state !== 'none' &&
            !fresh &&
            source === (question.source ?? '') &&
            clause === (question.clause ?? '')) ||
          (byChoice && !told && clause === (question.clause ?? '') && source === (question.source ?? '') && !fresh)
        ">
        {{ empty && question.state === 'told' ? 'Take it out' : 'Answer' }}
      </button>
      <button v-if="shape.words.includes('none')" type="button" class="quiet-link" @click="send({ state: 'none' })">
        There is none
      </button>
      <button
        v-if="shape.words.includes('untold')"
        type="button"
        class="quiet-link"
        :aria-expanded="silent === 'untold'"
        @click="silent = silent === 'untold' ? '' : 'untold'">
        The guide does not say
      </button>
      <button v-if="shape.words.includes('open')" type="button" class="quiet-link" @click="say('open')">Later</button>
    </div>
    <div v-if="silent === 'untold'" class="silent">
      <label class="small faded"
        >where you looked <input v-model="words" maxlength="200" placeholder="service guide 4.2 shows none"
      /></label>
      <label class="small faded">on <input v-model="looked" class="date" maxlength="20" /></label>
      <button type="button" class="press slim" @click="say('untold')">It is not told</button>
    </div>
  </form>
</template>

<style scoped>
.answer {
  display: grid;
  gap: 8px;
  outline: none;
}
fieldset {
  display: grid;
  gap: 8px;
  min-width: 0;
  margin: 0;
  padding: 0;
  border: 0;
}
p {
  margin: 0;
}
.could {
  color: var(--ask);
}
.could .faded {
  color: var(--faded);
}
.row {
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
  align-items: center;
}
.row .choice {
  margin-left: 0;
}
.answer > fieldset > .press {
  justify-self: start;
}
input,
select {
  height: 30px;
  min-width: 0;
  padding: 0 8px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
}
.fresh {
  width: 150px;
}
.source {
  display: grid;
  grid-template-columns: minmax(0, 1.4fr) minmax(0, 1fr);
  gap: 6px;
}
.over,
.fresh-source {
  grid-column: 1 / -1;
}
.fresh-source {
  display: grid;
  grid-template-columns: minmax(0, 1.4fr) minmax(0, 1fr);
  gap: 6px;
}
.do {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 18px;
  align-items: center;
}
.silent {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: end;
}
.silent label {
  display: grid;
}
.date {
  width: 120px;
}
.own {
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  gap: 8px;
  align-items: center;
}
.said {
  max-height: 110px;
  overflow-y: auto;
}
</style>
