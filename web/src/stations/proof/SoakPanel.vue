<script setup lang="ts">
/** The soak: counters and temperatures over its days, the rule by which it passes, and how long is left. */
import { computed, ref } from 'vue'
import { api, ask, wordsOf, type MachineView, type Proof, type ServiceKind } from '@/api/client'
import SeverityMark from '@/ui/SeverityMark.vue'
import { daysWords, errorLines, hottest, printedOf } from './words'

const props = defineProps<{ machine: MachineView; proof: Proof; active: boolean; enter: (entry: Record<string, unknown>) => Promise<void> }>()
const soak = computed(() => props.proof.soak)
const wrong = ref('')
const busy = ref(false)
const days = ref(props.proof.soak_days)
const byHand = ref(false)
const fields = ref({ slot: '', correctable: '', uncorrectable: '', temperature_c: '' })
const service = computed(() => props.machine.services.find((s) => s.kind === 'redfish'))

async function act(work: () => Promise<unknown>): Promise<void> {
  busy.value = true
  wrong.value = ''
  try {
    await work()
  } catch (error) {
    wrong.value = wordsOf(error)
  } finally {
    busy.value = false
  }
}
async function read(): Promise<void> {
  const params = { path: { machine_id: props.machine.id, kind: 'redfish' as ServiceKind } }
  const intake = await ask(api.POST('/api/machines/{machine_id}/services/{kind}/asking', { params }))
  await props.enter({ kind: 'reading', intake_id: intake.id })
}
/** What is counted before it begins is where it counts from. */
const begin = () =>
  act(async () => {
    if (service.value) await read()
    await props.enter({ kind: 'soak', days: Number(days.value) })
  })
const number = (text: string | number) => (text === '' ? null : Number(text))
const keep = () =>
  act(async () => {
    const { slot, correctable, uncorrectable, temperature_c } = fields.value
    await props.enter({ kind: 'reading', slots: { [slot]: { correctable: number(correctable), uncorrectable: number(uncorrectable), temperature_c: number(temperature_c) } } })
    byHand.value = false
  })

// The chart: days to the right, errors counted since it began upwards.
const W = 380
const H = 130
const lines = computed(() => (soak.value ? errorLines(soak.value) : []))
const span = computed(() => Math.max(soak.value?.days ?? 1, soak.value?.day ?? 0, 0.01))
const top = computed(() => Math.max(3, ...lines.value.flatMap((l) => l.points.map((p) => p[1]))))
const x = (day: number) => 34 + ((W - 44) * day) / span.value
const y = (count: number) => H - 20 - ((H - 34) * count) / top.value
const counted = computed(() => lines.value.filter((l) => l.points.at(-1)![1] > 0))
const clean = computed(() => lines.value.filter((l) => l.points.at(-1)![1] === 0))
const heat = computed(() => (soak.value ? hottest(soak.value) : []))
const path = (points: [number, number][], up: (v: number) => number) => points.map((p, i) => `${i ? 'L' : 'M'}${x(p[0]).toFixed(1)} ${up(p[1]).toFixed(1)}`).join('')
const yHeat = (c: number) => H - 20 - ((H - 34) * Math.min(100, Math.max(0, c))) / 100
const axisDays = computed(() => Array.from({ length: Math.min(8, Math.floor(span.value)) + 1 }, (_, i) => Math.round((i * span.value) / Math.min(8, Math.max(1, Math.floor(span.value))))))
const SHAPES: Record<string, 'go' | 'stop' | 'ask'> = { true: 'go', false: 'stop', null: 'ask' }
</script>

<template>
  <section class="panel soak" aria-labelledby="soak-title">
    <div class="head">
      <h2 id="soak-title">Soak</h2>
      <template v-if="soak">
        <strong>{{ soak.state.passed === true ? 'passed' : soak.state.passed === false ? 'failed' : `${daysWords(soak.state.days_left ?? 0)} left` }}</strong>
        <span class="faded small">day {{ soak.day.toFixed(1) }} of {{ soak.days }}; {{ soak.readings.length }} {{ soak.readings.length === 1 ? 'reading' : 'readings' }}</span>
      </template>
      <span v-else class="faded small">what is unstable shows itself before anybody relies on it</span>
      <div v-if="active" class="acts">
        <form v-if="!soak" class="fields begin" @submit.prevent="begin"><label>Days <input v-model="days" type="number" min="0.01" max="365" step="any" required /></label><v-btn type="submit" color="primary" size="small" :disabled="busy">Begin the soak</v-btn></form>
        <template v-else>
          <v-btn v-if="service" size="small" color="primary" :disabled="busy" @click="act(read)">{{ busy ? 'Reading' : 'Read the counters' }}</v-btn>
          <button type="button" class="quiet-link" @click="byHand = !byHand">Enter by hand</button>
          <button type="button" class="quiet-link" :disabled="busy" @click="act(() => enter({ kind: 'restart' }))">It restarted unplanned</button>
          <button v-if="machine.bays.length" type="button" class="quiet-link" :disabled="busy" @click="act(() => enter({ kind: 'scrub', clean: true }))">A scrub ended clean</button>
        </template>
      </div>
    </div>
    <form v-if="byHand" class="fields grid" @submit.prevent="keep">
      <label>Slot <select v-model="fields.slot" required><option v-for="s in machine.board.slots" :key="s.id" :value="s.id">{{ s.printed }}</option></select></label>
      <label>Correctable, as counted <input v-model="fields.correctable" type="number" min="0" /></label>
      <label>Uncorrectable <input v-model="fields.uncorrectable" type="number" min="0" /></label>
      <label>Temperature [°C] <input v-model="fields.temperature_c" type="number" step="any" /></label>
      <div class="choices"><v-btn type="submit" size="small" color="primary" :disabled="busy">Keep the reading</v-btn></div>
    </form>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <div v-if="soak" class="body">
      <svg v-if="lines.length" :viewBox="`0 0 ${W} ${H}`" role="img" :aria-label="`Correctable errors since it began: ${counted.length ? counted.map((l) => `${printedOf(machine.board, l.slot)} ${l.points.at(-1)![1]}`).join(', ') : 'none'}`">
        <line class="axis" :x1="34" :x2="W - 10" :y1="y(0)" :y2="y(0)" />
        <text v-for="d in axisDays" :key="d" class="tick" :x="x(d)" :y="H - 5">{{ d }} d</text>
        <text class="tick end" x="29" :y="y(top) + 4">{{ top }}</text>
        <text class="tick end" x="29" :y="y(0) + 4">0</text>
        <line class="now" :x1="x(soak.day)" :x2="x(soak.day)" :y1="10" :y2="y(0)" />
        <path v-if="clean.length" class="clean" :d="path(clean[0]!.points, y)" />
        <g v-for="(l, i) in counted" :key="l.slot"><path class="counted" :class="`n${i % 3}`" :d="path(l.points, y)" /><text class="tick name" :x="Math.min(x(l.points.at(-1)![0]) + 4, W - 60)" :y="y(l.points.at(-1)![1]) - 3">{{ printedOf(machine.board, l.slot) }} {{ l.points.at(-1)![1] }}</text></g>
        <text class="tick title" x="38" y="10">correctable errors since{{ clean.length ? `; none in ${clean.length} ${clean.length === 1 ? 'slot' : 'slots'}` : '' }}</text>
      </svg>
      <svg v-if="heat.length > 1" :viewBox="`0 0 ${W} ${H}`" role="img" :aria-label="`Hottest module: ${Math.max(...heat.map((h) => h[1]))} degrees at most`">
        <line class="axis" :x1="34" :x2="W - 10" :y1="yHeat(0)" :y2="yHeat(0)" />
        <line class="limit" :x1="34" :x2="W - 10" :y1="yHeat(85)" :y2="yHeat(85)" />
        <text class="tick end" x="29" :y="yHeat(85) + 4">85</text>
        <path class="counted" :d="path(heat, yHeat)" />
        <text class="tick title" x="38" y="10">hottest module, °C; 85 ends the normal range</text>
      </svg>
      <ul class="rules small">
        <li v-for="r in soak.state.rules" :key="r.name"><SeverityMark :severity="SHAPES[String(r.kept)] ?? 'ask'" /> <b>{{ r.name }}</b> {{ r.words }} <span v-if="r.source" class="faded">({{ r.source }})</span></li>
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
  grid-template-columns: repeat(auto-fit, minmax(340px, 1fr));
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
