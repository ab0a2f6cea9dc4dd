<script setup lang="ts">
/** The soak: counters and temperatures over its days, the rule by which it passes, and how long is left. */
import { computed, reactive, ref } from 'vue'
import { api, ask, type Layout, type MachineView, type Proof, type ServiceKind } from '@/api/client'
import ReportInput from '@/intake/ReportInput.vue'
import { numberIn, numbersIn, useForm } from '@/ui/form'
import SeverityMark from '@/ui/SeverityMark.vue'
import { useWidth } from '@/ui/width'
import { daysWords, errorLines, hottest, printedOf } from './words'

const props = defineProps<{
  machine: MachineView
  proof: Proof
  goal: Layout
  active: boolean
  enter: (entry: Record<string, unknown>) => Promise<void>
}>()
const soak = computed(() => props.proof.soak)
const days = ref(String(props.proof.soak_days))
const form = ref<'' | 'hand' | 'counting' | 'pasted'>('')
const service = computed(() => props.machine.services.find((s) => s.kind === 'redfish'))
const { wrong, sending: busy, submit } = useForm({}, async () => next.value())
const next = ref<() => Promise<unknown>>(async () => undefined)
function act(work: () => Promise<unknown>): Promise<void> {
  next.value = work
  return submit()
}
async function read(): Promise<void> {
  const params = { path: { machine_id: props.machine.id, kind: 'redfish' as ServiceKind } }
  const intake = await ask(api.POST('/api/machines/{machine_id}/services/{kind}/asking', { params }))
  await props.enter({ kind: 'reading', intake_id: intake.id })
}
/** What is counted before it begins is where it counts from. */
const begin = () =>
  act(async () => {
    const wanted = numberIn('days', days.value)
    if (service.value) await read()
    await props.enter({ kind: 'soak', days: wanted })
  })
/** A form that was sent closes; another that was opened meanwhile stays. */
const closed = (sent: typeof form.value) => form.value === sent && (form.value = '')
const counting = ref('')
const sayCounted = (counted: boolean) =>
  act(() => props.enter({ kind: 'counting', counted, text: counting.value }).then(() => closed('counting')))

/** Counters by hand: of slots, or of channels where the machine counts only those. */
const of = ref<'slots' | 'channels'>('slots')
const rows = computed(() => {
  const full = props.machine.board.slots.filter((s) => props.goal[s.id])
  return of.value === 'slots'
    ? full.map((s) => ({ id: s.id, name: s.printed }))
    : [...new Set(full.map((s) => s.channel))].map((c) => ({ id: c, name: c }))
})
const typed = reactive<Record<string, { c: string; u: string; t: string }>>({})
const row = (id: string) => (typed[id] ??= { c: '', u: '', t: '' })
function noErrors(): void {
  for (const r of rows.value) Object.assign(row(r.id), { c: '0', u: '0' })
}
const keep = () =>
  act(async () => {
    const told = rows.value.flatMap((r) => {
      const { c, u, t } = row(r.id)
      const health = numbersIn({ correctable: c, uncorrectable: u, temperature_c: t })
      return Object.values(health).some((v) => v !== null) ? [[r.id, health]] : []
    })
    await props.enter({ kind: 'reading', [of.value]: Object.fromEntries(told) })
    closed('hand')
  })

// The chart: days to the right, errors counted since it began upwards.
const box = ref<HTMLElement>()
const room = useWidth(box, 300, 380)
/** Of each chart: as many stand side by side as there is room for. */
const W = computed(() => (room.value >= 700 ? (room.value - 20) / 2 : room.value))
const H = 130
const lines = computed(() => (soak.value ? errorLines(soak.value) : []))
const span = computed(() => Math.max(soak.value?.days ?? 1, soak.value?.day ?? 0, 0.01))
const top = computed(() => Math.max(3, ...lines.value.flatMap((l) => l.points.map((p) => p[1]))))
const x = (day: number) => 34 + ((W.value - 44) * day) / span.value
const y = (count: number) => H - 20 - ((H - 34) * count) / top.value
const counted = computed(() => lines.value.filter((l) => l.points.at(-1)![1] > 0))
const clean = computed(() => lines.value.filter((l) => l.points.at(-1)![1] === 0))
const heat = computed(() => (soak.value ? hottest(soak.value) : []))
const path = (points: [number, number][], up: (v: number) => number) =>
  points.map((p, i) => `${i ? 'L' : 'M'}${x(p[0]).toFixed(1)} ${up(p[1]).toFixed(1)}`).join('')
const yHeat = (c: number) => H - 20 - ((H - 34) * Math.min(100, Math.max(0, c))) / 100
const axisDays = computed(() =>
  Array.from({ length: Math.min(8, Math.floor(span.value)) + 1 }, (_, i) =>
    Math.round((i * span.value) / Math.min(8, Math.max(1, Math.floor(span.value)))),
  ),
)
const SHAPES: Record<string, 'go' | 'stop' | 'ask'> = { true: 'go', false: 'stop', null: 'ask' }
</script>

<template>
  <section class="panel soak" aria-labelledby="soak-title">
    <div class="head">
      <h2 id="soak-title">Soak</h2>
      <template v-if="soak">
        <strong>{{
          soak.state.passed === true
            ? 'passed'
            : soak.state.passed === false
              ? 'failed'
              : soak.state.days_left
                ? `${daysWords(soak.state.days_left)} left`
                : 'open'
        }}</strong>
        <span class="faded small"
          >day {{ soak.day.toFixed(1) }} of {{ soak.days
          }}{{ Object.keys(soak.anew).length ? `, begun anew for ${Object.keys(soak.anew).length} slots` : '' }};
          {{ soak.readings.length }} {{ soak.readings.length === 1 ? 'reading' : 'readings' }}</span
        >
      </template>
      <span v-else class="faded small">what is unstable shows itself before anybody relies on it</span>
      <div v-if="active" class="acts">
        <form v-if="!soak || soak.state.passed === false" class="fields begin" @submit.prevent="begin">
          <label>Days <input v-model="days" inputmode="decimal" required /></label
          ><button class="press slim" type="submit" :disabled="busy || !!proof.soak_waits">
            {{ soak ? 'Begin it anew' : 'Begin the soak' }}
          </button>
        </form>
        <template v-if="soak">
          <button type="button" class="press slim" v-if="service" :disabled="busy" @click="act(read)">
            {{ busy ? 'Reading' : 'Read the counters' }}
          </button>
          <button type="button" class="quiet-link" :disabled="busy" @click="act(() => enter({ kind: 'restart' }))">
            It restarted unplanned
          </button>
          <template v-if="machine.bays.length"
            ><button
              type="button"
              class="quiet-link"
              :disabled="busy"
              @click="act(() => enter({ kind: 'scrub', clean: true }))">
              A scrub ended clean</button
            ><button
              type="button"
              class="quiet-link"
              :disabled="busy"
              @click="act(() => enter({ kind: 'scrub', clean: false }))">
              A scrub found errors
            </button></template
          >
        </template>
        <button
          type="button"
          class="quiet-link"
          :aria-expanded="form === 'hand'"
          @click="form = form === 'hand' ? '' : 'hand'">
          Counters by hand
        </button>
        <button
          type="button"
          class="quiet-link"
          :aria-expanded="form === 'pasted'"
          @click="form = form === 'pasted' ? '' : 'pasted'">
          Counters as its system lists them
        </button>
        <button
          type="button"
          class="quiet-link"
          :aria-expanded="form === 'counting'"
          @click="form = form === 'counting' ? '' : 'counting'">
          {{
            proof.counts === null
              ? 'Are its errors counted?'
              : proof.counts
                ? 'Its errors are counted'
                : 'Its errors are not counted'
          }}
        </button>
      </div>
    </div>
    <p v-if="active && !soak && proof.soak_waits" class="small waits">
      It begins when every slot is right and the memory test passed; now: {{ proof.soak_waits }}.
    </p>
    <form v-if="form === 'counting'" class="fields grid" aria-label="Whether errors are counted" @submit.prevent>
      <p class="faded small wide">
        {{
          proof.corrects === false
            ? 'Its modules correct no errors, so there is nothing to count.'
            : proof.corrects
              ? 'Its modules correct errors: somewhere they are counted, unless the machine keeps that to itself.'
              : 'What its modules tell does not say whether they correct errors.'
        }}
      </p>
      <label class="wide">Where that was looked up <input v-model="counting" maxlength="2000" /></label>
      <div class="choices">
        <button type="button" class="press slim quiet" :disabled="busy" @click="sayCounted(false)">
          Nowhere to be read</button
        ><button type="button" class="press slim" :disabled="busy" @click="sayCounted(true)">They are counted</button>
      </div>
    </form>
    <ReportInput
      v-if="form === 'pasted'"
      proof
      @taken="act(() => enter({ kind: 'reading', intake_id: $event.id }).then(() => (form = '')))" />
    <form v-if="form === 'hand'" class="fields hand" aria-label="Counters by hand" @submit.prevent="keep">
      <p class="small">
        <template v-if="machine.board.channels_told"
          ><label class="of"><input v-model="of" type="radio" value="slots" /> by slot</label>{{ ' ' }}
          <label class="of"
            ><input v-model="of" type="radio" value="channels" /> by channel, where it counts only those</label
          ></template
        >{{ ' ' }}
        <button type="button" class="quiet-link" @click="noErrors">none counted in any</button>
      </p>
      <table>
        <thead>
          <tr>
            <td></td>
            <th scope="col">correctable, as counted</th>
            <th scope="col">uncorrectable</th>
            <th v-if="of === 'slots'" scope="col">°C</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in rows" :key="r.id">
            <th scope="row" class="mono">{{ r.name }}</th>
            <td><input v-model="row(r.id).c" inputmode="numeric" :aria-label="`${r.name}: correctable`" /></td>
            <td><input v-model="row(r.id).u" inputmode="numeric" :aria-label="`${r.name}: uncorrectable`" /></td>
            <td v-if="of === 'slots'">
              <input v-model="row(r.id).t" inputmode="decimal" :aria-label="`${r.name}: °C`" />
            </td>
          </tr>
        </tbody>
      </table>
      <div class="choices"><button class="press slim" type="submit" :disabled="busy">Keep the reading</button></div>
    </form>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <div ref="box"></div>
    <div v-if="soak" class="body">
      <svg
        v-if="lines.length"
        :viewBox="`0 0 ${W} ${H}`"
        role="img"
        :aria-label="`Correctable errors since it began: ${counted.length ? counted.map((l) => `${printedOf(machine.board, l.slot)} ${l.points.at(-1)![1]}`).join(', ') : 'none'}`">
        <line class="axis" :x1="34" :x2="W - 10" :y1="y(0)" :y2="y(0)" />
        <text v-for="d in axisDays" :key="d" class="tick" :x="x(d)" :y="H - 5">{{ d }} d</text>
        <text class="tick end" x="29" :y="y(top) + 4">{{ top }}</text>
        <text class="tick end" x="29" :y="y(0) + 4">0</text>
        <line class="now" :x1="x(soak.day)" :x2="x(soak.day)" :y1="10" :y2="y(0)" />
        <path v-if="clean.length" class="clean" :d="path(clean[0]!.points, y)" />
        <g v-for="(l, i) in counted" :key="l.slot">
          <path class="counted" :class="`n${i % 3}`" :d="path(l.points, y)" />
          <text class="tick name" :x="Math.min(x(l.points.at(-1)![0]) + 4, W - 60)" :y="y(l.points.at(-1)![1]) - 3">
            {{ printedOf(machine.board, l.slot) }} {{ l.points.at(-1)![1] }}
          </text>
        </g>
        <text class="tick title" x="38" y="10">
          correctable errors since{{
            clean.length ? `; none in ${clean.length} ${clean.length === 1 ? 'slot' : 'slots'}` : ''
          }}
        </text>
      </svg>
      <svg
        v-if="heat.length > 1"
        :viewBox="`0 0 ${W} ${H}`"
        role="img"
        :aria-label="`Hottest module: ${Math.max(...heat.map((h) => h[1]))} degrees at most`">
        <line class="axis" :x1="34" :x2="W - 10" :y1="yHeat(0)" :y2="yHeat(0)" />
        <line class="limit" :x1="34" :x2="W - 10" :y1="yHeat(85)" :y2="yHeat(85)" />
        <text class="tick end" x="29" :y="yHeat(85) + 4">85</text>
        <path class="counted" :d="path(heat, yHeat)" />
        <text class="tick title" x="38" y="10">hottest module, °C; 85 ends the normal range</text>
      </svg>
      <ul class="rules small">
        <li v-for="r in soak.state.rules" :key="r.name">
          <SeverityMark :severity="SHAPES[String(r.kept)] ?? 'ask'" /> <b>{{ r.name }}</b> {{ r.words }}
          <span v-if="r.source" class="faded">({{ r.source }})</span>
        </li>
      </ul>
    </div>
  </section>
</template>

<style scoped>
.soak {
  padding: 10px 16px 12px;
}
.head {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  align-items: baseline;
}
.acts {
  margin-left: auto;
  display: flex;
  flex-wrap: wrap;
  gap: 6px 14px;
  align-items: center;
}
.waits {
  margin: 4px 0 0;
  color: var(--ask);
}
.hand {
  display: grid;
  gap: 8px;
  margin-top: 8px;
}
.hand p {
  margin: 0;
}
.hand table {
  border-collapse: collapse;
  display: block;
  max-height: 300px;
  overflow-y: auto;
}
.hand th,
.hand td {
  padding: 2px 10px 2px 0;
  text-align: left;
  font-weight: 400;
}
.hand td input {
  width: 110px;
}
.of {
  display: inline-flex !important;
  gap: 6px;
  align-items: center;
  margin-right: 14px;
}
.of input {
  width: auto !important;
}
.begin {
  display: flex;
  gap: 12px;
  align-items: center;
}
.begin label {
  display: flex;
  gap: 8px;
  align-items: center;
}
.begin input {
  width: 80px !important;
}
.body {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(340px, 100%), 1fr));
  gap: 4px 20px;
  margin-top: 6px;
}
.body > svg {
  width: 100%;
  max-height: 170px;
}
.axis,
.now,
.limit {
  stroke: var(--rule);
}
.now {
  stroke: var(--faded);
  stroke-dasharray: 3 3;
}
.limit {
  stroke: var(--stop);
  stroke-dasharray: 5 3;
}
.counted,
.clean {
  fill: none;
  stroke: var(--umber);
  stroke-width: 2;
}
.clean {
  stroke: var(--go);
}
.n1 {
  stroke-dasharray: 6 3;
}
.n2 {
  stroke-dasharray: 2 3;
}
.tick {
  font-size: 12px;
  fill: var(--faded);
  text-anchor: middle;
}
.tick.end {
  text-anchor: end;
}
.tick.title,
.tick.name {
  text-anchor: start;
}
.rules {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 4px;
  align-content: start;
}
</style>
