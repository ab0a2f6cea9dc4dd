<script setup lang="ts">
/** A round as a picture: machines down, waves across, what is passed on drawn from cell to cell; what holds it back beneath. */
import { computed, nextTick, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { api, ask, Refusal, wordsOf, type Round } from '@/api/client'
import BoardGlyph from '@/board/BoardGlyph.vue'
import { session } from '@/frame/session'
import { useLoaded } from '@/frame/live'
import { counted, gbDown, gbUp } from '@/ui/figures'
import SeverityMark from '@/ui/SeverityMark.vue'
import { useTitle } from '@/ui/title'
import { VERDICTS, type Verdict } from '@/ui/verdict'
import { plural } from '@/ui/words'
import AskedForm from './AskedForm.vue'
import MachineOfRound from './MachineOfRound.vue'
import RoundWhole from './RoundWhole.vue'
import WhatHolds from './WhatHolds.vue'
import {
  dayWords,
  flowsOf,
  fromWords,
  money,
  percent,
  PLAN_STATES,
  STATES,
  type Asked,
  type Flow,
  type Row,
} from './words'

const props = defineProps<{ id: string }>()
const round = shallowRef<Round>()
const wrong = ref('')
const fault = ref('')
const asking = ref(false)
const chosen = ref('')
useTitle(() => round.value?.name ?? 'Round')
let timer: ReturnType<typeof setTimeout> | undefined
let gone = false

function show(found: Round): void {
  round.value = found
  clearTimeout(timer)
  if (found.progress && !gone) timer = setTimeout(() => void load(), 700)
}
async function load(): Promise<void> {
  try {
    show(await ask(api.GET('/api/rounds/{round_id}', { params: { path: { round_id: props.id } } })))
    wrong.value = ''
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
useLoaded(() => props.id, load)
onBeforeUnmount(() => {
  gone = true
  clearTimeout(timer)
})
const told = (error: unknown) =>
  error instanceof Refusal && error.problem.errors?.length
    ? error.problem.errors.map((e) => e.message).join('; ')
    : wordsOf(error)
async function act(doing: () => Promise<Round>): Promise<boolean> {
  try {
    show(await doing())
    wrong.value = fault.value = ''
    return true
  } catch (error) {
    wrong.value = fault.value = told(error)
    if (error instanceof Refusal && error.problem.status === 409) await load()
    return false
  }
}
const path = () => ({ params: { path: { round_id: props.id } } })
const solve = () => act(() => ask(api.POST('/api/rounds/{round_id}/search', path())))
const stop = () => act(() => ask(api.POST('/api/rounds/{round_id}/stop', path())))
const accept = () =>
  act(() => ask(api.POST('/api/rounds/{round_id}/acceptance', { ...path(), body: { version: round.value!.version } })))
async function keep(asked: Asked): Promise<void> {
  if (
    await act(() =>
      ask(api.PUT('/api/rounds/{round_id}', { ...path(), body: { version: round.value!.version, asked } })),
    )
  )
    asking.value = false
}
async function close(): Promise<void> {
  try {
    await ask(api.DELETE('/api/rounds/{round_id}', path()))
    await load()
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}

const proposal = computed(() => round.value?.proposal ?? null)
const asked = computed(() => round.value!.asked)
const waves = computed(() => [...(round.value?.asked.waves ?? [])].sort((a, b) => a.day.localeCompare(b.day)))
const told_of = computed(() => new Map(proposal.value?.waves.map((w) => [w.day, w])))
const plans = computed(() => new Map(round.value?.plans.map((p) => [p.machine_id, p])))
const rows = computed<Row[]>(() => proposal.value?.rows ?? [])
const served = computed(() => rows.value.filter((r) => r.served))
const closedOn = (row: Row, day: string) => (asked.value.closed?.[row.machine_id] ?? []).includes(day)
const pinOf = (row: Row) => asked.value.pins?.[row.machine_id]
function pinned(row: Row): string {
  const pin = pinOf(row)
  if (!pin) return ''
  if (pin.out) return 'pinned: left as it is'
  const wave = pin.day ? `${waves.value.findIndex((w) => w.day === pin.day) + 1}` : ''
  return `pinned${wave || pin.route ? ` to ${[wave, pin.route && 'a route'].filter(Boolean).join(' and ')}` : ''}`
}
const row = computed(() => rows.value.find((r) => r.machine_id === chosen.value))
const mayWrite = computed(() => session.mayWrite() && round.value?.state !== 'done')
const bought = computed(() =>
  round.value?.plans
    .filter((p) => p.state === 'draft' || p.state === 'approved')
    .map((p) => `plan=${p.plan_id}`)
    .join('&'),
)
const toAccept = computed(() => served.value.filter((r) => !plans.value.has(r.machine_id)).length)

// Where what is passed on is drawn: measured after each change of what is shown or of the room there is.
const grid = ref<HTMLElement>()
const flows = shallowRef<Flow[]>([])
const size = ref({ width: 0, height: 0 })
function draw(): void {
  const all = grid.value
  if (!all || !proposal.value) return void (flows.value = [])
  const from = all.getBoundingClientRect()
  size.value = { width: all.scrollWidth, height: all.scrollHeight }
  flows.value = flowsOf(proposal.value, (machine, day) => {
    const cell = all.querySelector(`[data-cell="${machine} ${day}"]`)?.getBoundingClientRect()
    if (!cell) return null
    const y = cell.top - from.top + cell.height / 2
    return { left: { x: cell.left - from.left + 4, y }, right: { x: cell.right - from.left - 14, y } }
  })
}
const watcher = new ResizeObserver(draw)
watch(grid, (el) => el && watcher.observe(el))
watch(round, () => void nextTick(draw))
onMounted(draw)
onBeforeUnmount(() => watcher.disconnect())
</script>

<template>
  <div class="page round">
    <header v-if="round">
      <h1>{{ round.name }}</h1>
      <span class="faded"
        >{{ plural(round.asked.machines.length, 'machine') }} over {{ plural(round.asked.waves.length, 'wave') }}</span
      >
      <span class="state"
        ><SeverityMark :severity="STATES[round.state].severity" /> {{ STATES[round.state].words }}</span
      >
      <span class="acts">
        <button
          v-if="mayWrite && !round.progress"
          type="button"
          class="press slim"
          :class="{ quiet: proposal && round.fresh && !round.changed.length }"
          @click="solve">
          {{ proposal ? 'Solve again' : 'Solve it' }}
        </button>
        <button
          v-if="mayWrite && round.progress"
          type="button"
          class="press slim quiet"
          :disabled="round.stopping"
          @click="stop">
          {{ round.stopping ? 'Stopping' : 'Stop with the best so far' }}
        </button>
        <button
          v-if="mayWrite && proposal && round.fresh && !round.progress && (toAccept || round.changed.length)"
          type="button"
          class="press slim"
          :disabled="!!round.changed.length"
          @click="accept">
          Accept: {{ plural(toAccept, 'plan') }}
        </button>
        <router-link v-if="round.plans.length && bought" class="press slim quiet" :to="`/shelf/buy?${bought}`"
          >What to buy</router-link
        >
      </span>
    </header>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <template v-if="round">
      <p class="sentence">
        At most
        <b>{{ asked.budget ? `${money(asked.budget)} ${proposal?.currency ?? ''}` : 'whatever it takes' }}</b> for
        modules; used modules <b>{{ asked.passing_on ? 'may be passed on' : 'stay where they come out' }}</b>; a missing
        GB weighs <b>{{ money(asked.short_gb) }}</b>; never two of a duty group open<template v-if="asked.keep_warranty"
          >; <b>only what the makers stand behind</b></template
        ><template v-if="!asked.third_party">; <b>listed parts alone</b></template
        >.
        <button v-if="mayWrite && !asking" type="button" class="quiet-link" @click="asking = true">
          Ask otherwise
        </button>
        <button
          v-if="mayWrite && round.plans.length && !round.progress"
          type="button"
          class="quiet-link"
          @click="close">
          It is done
        </button>
      </p>
      <AskedForm v-if="asking" :asked="asked" :fault="fault" @save="keep" @cancel="asking = false" />
      <p v-if="round.progress" class="going" role="status">
        <SeverityMark severity="slow" /> {{ round.progress.doing
        }}<template v-if="round.progress.served !== null && round.progress.served !== undefined"
          >: {{ plural(round.progress.served, 'machine') }} served<template
            v-if="round.progress.gap !== null && round.progress.gap !== undefined"
            >, at most {{ percent(round.progress.gap) }} above the best</template
          ></template
        >
      </p>
      <p v-if="round.trouble" class="wrong" role="alert">The search came to nothing: {{ round.trouble }}</p>
      <p v-if="proposal && !round.fresh && !round.progress" class="since">
        <SeverityMark severity="ask" /> What is shown answers what was asked before: solve it again.
      </p>
      <ul v-if="round.changed.length && !round.progress" class="since" aria-label="What changed since">
        <li v-for="c in round.changed" :key="c"><SeverityMark severity="slow" /> {{ c }}</li>
      </ul>
      <p v-if="!proposal && !round.progress" class="faded none">
        Nothing is proposed yet. Solving looks for each machine’s routes, then for the best of all of them together: who
        goes in which wave, what is passed on, which kits are bought.
      </p>
      <RoundWhole v-if="proposal" :proposal="proposal" :asked="asked" />
      <div v-if="proposal" class="scroll">
        <div
          ref="grid"
          class="grid"
          :style="{
            gridTemplateColumns: `176px repeat(${waves.length}, minmax(158px, 1fr)) 180px`,
            minWidth: `${356 + waves.length * 158}px`,
          }"
          role="table"
          :aria-label="`${round.name}: machines down, waves across`">
          <div class="head" role="row">
            <span class="first" role="columnheader"
              ><span class="small faded">machine</span>{{ ' ' }}
              <span class="small faded key"><i class="hatch"></i> closed to it</span></span
            >
            <span v-for="(w, i) in waves" :key="w.day" class="wave" role="columnheader">
              <span
                ><b>Wave {{ i + 1 }}</b> {{ dayWords(w.day) }}</span
              >
              <span class="small faded who">{{ w.people || 'nobody named' }}</span>
              <span v-if="told_of.get(w.day)" class="hours small"
                ><i class="bar"
                  ><i
                    :style="{
                      width: `${Math.min(100, (told_of.get(w.day)!.hours_used / (w.hours || 1)) * 100)}%`,
                    }"></i></i
                >{{ ' ' }} <b>{{ told_of.get(w.day)!.hours_used }}</b> of {{ w.hours }} h</span
              >
              <span v-else class="hours small faded">over</span>
            </span>
            <span class="last small faded" role="columnheader"
              ><span>GB now → after</span><span>{{ proposal.currency }}</span></span
            >
          </div>
          <div
            v-for="r in rows"
            :key="r.machine_id"
            class="line"
            :class="{ chosen: chosen === r.machine_id, left: !r.served }"
            role="row">
            <span class="first" role="rowheader">
              <button
                type="button"
                class="name"
                :aria-expanded="chosen === r.machine_id"
                @click="chosen = chosen === r.machine_id ? '' : r.machine_id">
                <b>{{ r.machine }}</b><span class="small faded">{{ r.model }}</span>
              </button>
              <span class="small pin">{{
                pinned(r) || (plans.has(r.machine_id) ? '' : r.served ? '' : 'left out')
              }}</span>
            </span>
            <span
              v-for="w in waves"
              :key="w.day"
              role="cell"
              class="cell"
              :class="{ closed: closedOn(r, w.day) }"
              :data-cell="`${r.machine_id} ${w.day}`">
              <template v-if="r.served?.day === w.day">
                <BoardGlyph :groups="r.served.glyph" />
                <span class="does">
                  <b>+{{ Math.round(r.served.usable_gib - r.usable_gib) }} GB</b>
                  <span class="small faded" :title="`${r.served.puts_in}; ${fromWords(proposal, r)}`">{{
                    fromWords(proposal, r) || r.served.route
                  }}</span>
                </span>
                <SeverityMark
                  :severity="
                    plans.has(r.machine_id)
                      ? PLAN_STATES[plans.get(r.machine_id)!.state].severity
                      : VERDICTS[r.served.verdict as Verdict].severity
                  " />
              </template>
            </span>
            <span v-if="!r.served" class="why small" role="cell">{{ r.why }}</span>
            <span class="last" role="cell">
              <span class="two"
                ><span
                  >{{ counted(r.usable_gib, r.not_counted, gbDown) }}
                  <template v-if="r.served"
                    >→ <b>{{ counted(r.served.usable_gib, r.served.not_counted, gbDown) }}</b></template
                  ><template v-else>stays</template></span
                >{{ ' ' }}
                <span class="small faded"
                  >need {{ r.need_gib === null || r.need_gib === undefined ? '?' : gbUp(r.need_gib) }}</span
                ></span
              >
              <span class="small">{{ r.served ? money(r.served.money) : '' }}</span>
            </span>
          </div>
          <div class="foot" role="row">
            <span class="first small faded" role="rowheader"
              ><span>money, and what it brings</span><span>any trouble at all</span><span>parts to buy</span></span
            >
            <span v-for="w in waves" :key="w.day" role="cell" class="cell sum">
              <template v-if="told_of.get(w.day)?.machines">
                <span
                  ><b>{{ money(told_of.get(w.day)!.money) }}</b
                  >{{ ' ' }} <b class="right">+{{ Math.round(told_of.get(w.day)!.gib) }} GB</b></span
                >
                <span class="small"
                  ><i class="trouble" :style="{ width: `${Math.min(70, told_of.get(w.day)!.trouble * 400)}px` }"></i>
                  {{ percent(told_of.get(w.day)!.trouble) }} trouble</span
                >
                <span class="small">{{ told_of.get(w.day)!.buy || 'nothing' }}</span>
              </template>
              <span v-else class="small faded">nobody</span>
            </span>
            <span class="last" role="cell">
              <span v-for="b in proposal.buy" :key="b.part + b.supplier" class="small buy"
                ><span
                  >{{ b.kits * b.kit }} × {{ b.words
                  }}<template v-if="b.left_over">, {{ b.left_over }} left over</template></span
                >{{ ' ' }} <b>{{ money(b.price) }}</b></span
              >
            </span>
          </div>
          <svg class="flows" :width="size.width" :height="size.height" aria-hidden="true">
            <g v-for="(f, i) in flows" :key="i">
              <path :d="f.path" />
              <rect :x="f.x - 3" :y="f.y - 9" width="15" height="18" />
              <text :x="f.x" :y="f.y + 5">{{ f.count }}</text>
              <title>{{ f.title }}</title>
            </g>
          </svg>
        </div>
      </div>
      <MachineOfRound
        v-if="proposal && row"
        :row="row"
        :proposal="proposal"
        :asked="asked"
        :waves="waves"
        :plan="plans.get(row.machine_id)"
        :may-write="mayWrite"
        @change="keep"
        @close="chosen = ''" />
      <WhatHolds v-if="proposal" class="holds" :proposal="proposal" />
    </template>
  </div>
</template>

<style scoped>
header {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 18px;
  align-items: center;
}
.acts {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  margin-left: auto;
}
.state,
.going,
.since {
  display: flex;
  gap: 7px;
  align-items: center;
}
.sentence {
  border-bottom: 1px solid var(--rule);
}
.sentence button {
  margin-left: 10px;
}
ul.since {
  list-style: none;
  display: grid;
  gap: 3px;
  margin: 0;
  padding: 6px 16px;
}
ul.since li {
  display: flex;
  gap: 7px;
  align-items: center;
}
.scroll {
  overflow-x: auto;
}
.grid {
  position: relative;
  display: grid;
}
.head,
.line,
.foot {
  display: grid;
  grid-column: 1 / -1;
  grid-template-columns: subgrid;
  border-bottom: 1px solid var(--rule);
}
.line {
  min-height: 36px;
}
.line.chosen .first {
  background: var(--lit);
}
.line.chosen {
  background: var(--lit);
  box-shadow: inset 3px 0 0 var(--umber);
}
.foot {
  border-bottom: 1.5px solid var(--ink);
}
.first {
  position: sticky;
  left: 0;
  z-index: 1;
  background: var(--sheet);
  display: flex;
  gap: 4px 8px;
  justify-content: space-between;
  align-items: center;
  padding: 2px 8px 2px 16px;
}
.head .first {
  align-items: end;
  padding-bottom: 6px;
}
.foot .first {
  display: grid;
  align-content: start;
  justify-content: start;
  gap: 3px;
  padding-top: 8px;
}
.foot .first span {
  min-height: 20px;
}
.name {
  display: grid;
  text-align: left;
  line-height: 1.15;
  color: var(--ink);
}
.left .name {
  color: var(--faded);
}
.pin {
  white-space: nowrap;
  color: var(--umber);
  font-weight: 600;
  text-align: right;
}
.wave {
  display: grid;
  gap: 3px;
  padding: 8px 10px 6px;
  border-left: 1px solid var(--rule);
}
.who {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.hours {
  display: flex;
  gap: 6px;
  align-items: center;
  white-space: nowrap;
}
.bar {
  flex: 1;
  max-width: 96px;
  height: 8px;
  border: 1px solid var(--module-edge);
  background: var(--sheet);
}
.bar i {
  display: block;
  height: 100%;
  background: var(--module);
  border-right: 1.5px solid var(--ink);
}
.cell {
  display: flex;
  gap: 6px;
  align-items: center;
  padding: 1px 17px 1px 14px;
  border-left: 1px solid var(--rule);
  min-width: 0;
}
.cell :deep(.glyph) {
  flex: none;
  max-width: 58px;
  max-height: 32px;
}
.cell .mark {
  flex: none;
  margin-left: auto;
}
.closed,
.hatch {
  background: repeating-linear-gradient(135deg, transparent 0 7px, var(--rule) 7px 8px);
}
.hatch {
  display: inline-block;
  width: 16px;
  height: 11px;
  border: 1px solid var(--rule);
}
.key {
  display: flex;
  gap: 5px;
  align-items: center;
}
.two {
  display: grid;
  line-height: 1.2;
}
.does b {
  white-space: nowrap;
}
.does {
  display: grid;
  line-height: 1.2;
  min-width: 0;
}
.does .small {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.line {
  position: relative;
}
.why {
  position: absolute;
  left: 186px;
  top: 50%;
  transform: translateY(-50%);
  padding: 1px 8px;
  background: var(--sheet);
  color: var(--slow);
  font-weight: 600;
}
.chosen .why {
  background: var(--lit);
}
.last {
  white-space: nowrap;
  display: flex;
  justify-content: space-between;
  gap: 8px;
  align-items: center;
  padding: 2px 16px 2px 10px;
  border-left: 1px solid var(--rule);
}
.head .last {
  align-items: end;
  padding-bottom: 6px;
}
.foot .last {
  display: grid;
  align-content: start;
  justify-content: stretch;
  padding-top: 8px;
}
.buy {
  white-space: normal;
  display: flex;
  justify-content: space-between;
  gap: 8px;
}
.sum {
  display: grid;
  gap: 3px;
  padding: 8px 10px;
}
.sum {
  align-content: start;
}
.sum > span {
  display: flex;
  gap: 6px;
  align-items: center;
  min-height: 20px;
  line-height: 1.25;
}
.right {
  margin-left: auto;
}
.trouble {
  display: inline-block;
  height: 9px;
  min-width: 2px;
  background: var(--risk);
}
.flows {
  position: absolute;
  inset: 0;
  pointer-events: none;
}
.flows path {
  fill: none;
  stroke: var(--umber);
  stroke-width: 1.4;
}
.flows rect {
  fill: var(--sheet);
}
.flows text {
  font-size: 13px;
  font-weight: 650;
  fill: var(--umber);
}
.holds {
  padding: 12px 16px;
}
</style>
