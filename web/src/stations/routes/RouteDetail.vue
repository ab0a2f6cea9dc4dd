<script setup lang="ts">
/** One route opened: what is bought, what it saves and risks, and every figure's terms. */
import { computed } from 'vue'
import type { Board, Layout, Route, RoutesView } from '@/api/client'
import { LOSSES } from '@/notes/words'
import { session } from '@/frame/session'
import BeliefLine from '@/ui/BeliefLine.vue'
import { movedWords } from '@/ui/belief'
import SeverityMark from '@/ui/SeverityMark.vue'
import VerdictWord from '@/ui/VerdictWord.vue'
import { plural } from '@/ui/words'
import { percent } from '@/ui/figures'
import BriefOf from '../BriefOf.vue'
import WorthIt from '../WorthIt.vue'
import StagesOf from './StagesOf.vue'
import {
  ACTS,
  fastOf,
  gained,
  layoutOf,
  letterOf,
  LEVERS,
  lossWords,
  money,
  regrets,
  routeWords,
  signed,
  troubleOf,
  troubleWords,
  usableOf,
  type Had,
} from './words'

const props = defineProps<{ view: RoutesView; index: number; board: Board; now: Had; machineId: string }>()
const emit = defineEmits<{ plan: [stages?: Layout[]] }>()
const route = computed<Route>(() => props.view.routes[props.index]!)
const layout = computed(() => layoutOf(props.view))
const goal = computed(() => layoutOf(props.view, route.value.changes))
const currency = computed(() => props.view.money.currency)
const costsTold = computed(() =>
  Boolean(
    props.view.money.hour || props.view.money.downtime_hour || props.view.money.returned || props.view.money.data,
  ),
)
const saving = computed(() => route.value.break_even)
const moved = computed(() => movedWords(route.value.trouble_range, route.value.trouble))
const findings = computed(() => route.value.evaluation.findings.filter((f) => f.severity !== 'note').slice(0, 4))
const experiment = computed(() => route.value.experiments[0])
const more = computed(() => gained(route.value, props.now))
const regretted = computed(() => regrets(route.value, props.now))
const lead = computed(() => Math.max(0, ...route.value.buy.map((b) => b.lead_days ?? 0)))
</script>

<template>
  <section class="detail" :aria-label="`Route ${letterOf(index)}`">
    <header>
      <h2>
        <span class="letter">{{ letterOf(index) }}</span> {{ routeWords(route) }}
      </h2>
      <button type="button" class="press slim" v-if="session.mayWrite()" @click="emit('plan')">Plan this route</button>
    </header>
    <dl class="sums">
      <div>
        <dt>gains</dt>
        <dd>
          <template v-if="more === null"
            >comes to <b>{{ usableOf(route) }}</b> GB usable; what it has now is not known</template
          ><template v-else
            ><b>{{ signed(more) }}</b
            ><template v-if="Math.abs(more) >= 0.05"> GB usable</template></template
          ><template v-if="now.gbs && fastOf(route) !== null && Math.abs(route.sustained_gbs - now.gbs) >= 0.05"
            >, <b>{{ signed(route.sustained_gbs - now.gbs) }}</b> GB/s</template
          >
        </dd>
      </div>
      <div>
        <dt>costs</dt>
        <dd>
          <b>{{ view.priced ? money(route.cost, currency) : 'no price' }}</b>,
          {{ plural(route.touches, 'touch', 'touches') }}
        </dd>
      </div>
      <div>
        <dt>risks</dt>
        <dd>
          <b>{{ troubleOf(route) }}</b> trouble
        </dd>
      </div>
      <div v-if="regretted.length">
        <dt>regret</dt>
        <dd>{{ regretted.join('; ') }}</dd>
      </div>
    </dl>
    <table v-if="route.buy.length" class="buy">
      <tbody>
        <tr v-for="b in route.buy" :key="b.part + b.from">
          <td>
            {{ b.from === 'shelf' ? 'take' : 'buy' }} {{ b.count
            }}<template v-if="b.kits !== b.count"> in {{ b.kits }} {{ b.kits === 1 ? 'kit' : 'kits' }}</template>
          </td>
          <th scope="row" class="mono">{{ b.part }}</th>
          <td class="number">
            {{ b.from === 'shelf' ? 'from the Shelf' : view.priced ? money(b.price, currency) : 'no price' }}
          </td>
        </tr>
      </tbody>
    </table>
    <p v-else class="small faded">Nothing is bought.</p>
    <BriefOf v-if="route.buy.length" :machine-id="machineId" :slots="goal" />
    <StagesOf
      v-if="route.buy.length"
      :machine-id="machineId"
      :board="board"
      :now="layout"
      :goal="goal"
      :doubted="1 - (1 - route.trouble) / (1 - route.fails_early)"
      @plan="emit('plan', $event)" />
    <p v-if="lead" class="small faded">The last part is there after {{ lead }} days.</p>
    <p class="stands">
      <VerdictWord :of="route.evaluation" />{{ ' ' }}
      <span v-if="route.in_warranty" class="faded">inside the warranty: the maker stands behind it</span>
    </p>
    <template v-if="saving">
      <h3>Against route {{ letterOf(saving.against) }}, which the maker stands behind</h3>
      <WorthIt
        :saving="saving"
        :loss="saving.expected_loss"
        :losses="route.losses"
        :trouble="route.trouble"
        :range="route.trouble_range"
        :currency="currency"
        :costs-told="costsTold"
        :against="`route ${letterOf(saving.against)}`" />
    </template>
    <h3>Trouble: {{ troubleWords(route) }}</h3>
    <p v-if="!route.beliefs.length" class="small">Nothing new comes in: it rests on nothing.</p>
    <p v-if="moved" class="small faded">Moves most: {{ moved }}.</p>
    <BeliefLine v-for="b in route.beliefs" :key="b.words" :belief="b" />
    <p v-if="route.fails_early" class="small faded">
      That a module which comes in fails in its first months is {{ percent(route.fails_early) }} of it; that it runs and
      something is shown oddly, {{ percent(route.quirks) }}, is none of it.
    </p>
    <details v-if="route.beliefs.length" class="belief">
      <summary>Expected loss {{ lossWords(route.expected_loss, view.money) }}</summary>
      <p v-for="l in route.losses" :key="l.outcome" class="small">
        {{ LOSSES[l.outcome] }}: {{ percent(l.probability) }} of {{ money(l.cost, currency) }}
      </p>
      <p class="small faded">The doubts are taken as independent of each other.</p>
    </details>
    <template v-if="route.levers.length">
      <h3>What lowers it</h3>
      <p v-for="l in route.levers" :key="l.kind + l.about" class="small" :title="l.because">
        <b>{{ LEVERS[l.kind] }}</b>{{ l.about ? ` (${l.about})` : '' }}:
        <template v-if="l.trouble < route.trouble - 0.001">trouble {{ percent(l.trouble) }}, </template
        ><template v-if="costsTold"
          >expected loss {{ money(l.expected_loss, currency) }}
          <span class="faded">instead of {{ money(route.expected_loss, currency) }}</span></template
        >
      </p>
    </template>
    <template v-if="experiment">
      <h3>Cheapest experiment</h3>
      <p class="small">
        <b>{{ ACTS[experiment.act] }}</b>: {{ experiment.because }}. It takes {{ experiment.hours }} h<template
          v-if="costsTold"
          >, {{ money(experiment.cost, currency) }}; knowing it before deciding saves
          {{ money(experiment.worth, currency) }} on average:
          <b :class="experiment.worth > experiment.cost ? 'go' : 'faded'">{{
            experiment.worth > experiment.cost ? 'worth it' : 'not worth its cost'
          }}</b></template
        >.
      </p>
    </template>
    <template v-if="findings.length">
      <h3>Findings</h3>
      <p v-for="f in findings" :key="f.code + f.message" class="small finding">
        <SeverityMark :severity="f.severity" /> {{ f.message }}
      </p>
    </template>
  </section>
</template>

<style scoped>
.detail {
  padding: 12px 16px;
  display: grid;
  gap: 6px;
  align-content: start;
}
.letter {
  font-size: 22px;
  margin-right: 6px;
}
header {
  display: flex;
  justify-content: space-between;
  align-items: start;
  gap: 12px;
}
h3 {
  font-size: 14px;
  margin-top: 6px;
}
p {
  margin: 0;
}
.sums {
  margin: 0;
  display: grid;
  gap: 3px;
  font-size: 14px;
}
.sums div {
  display: grid;
  grid-template-columns: 52px minmax(0, 1fr);
}
.sums dt {
  color: var(--faded);
}
.sums dd {
  margin: 0;
}
.buy {
  border-collapse: collapse;
  font-size: 14px;
}
.buy td,
.buy th {
  text-align: left;
  font-weight: 400;
  padding: 2px 12px 2px 0;
}
.buy td:first-child {
  width: 1%;
  padding-right: 12px;
  white-space: nowrap;
}
.buy .number {
  text-align: right;
}
.go,
.good {
  color: var(--go);
}
.belief {
  border-top: 1px solid var(--rule);
  padding-top: 5px;
  font-size: 14px;
}
.belief p {
  margin: 3px 0 0 16px;
}
.finding {
  display: flex;
  gap: 6px;
  align-items: baseline;
}
</style>
