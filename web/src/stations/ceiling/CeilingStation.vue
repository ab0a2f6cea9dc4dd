<script setup lang="ts">
/** How high the machine can go, and on whose word: the axis, every statement, what they come to, what would lift it. */
import { computed, ref, shallowRef, watch } from 'vue'
import { api, ask, wordsOf, type CeilingView } from '@/api/client'
import { oneAtATime } from '@/api/turns'
import { gb } from '@/ui/figures'
import SeverityMark from '@/ui/SeverityMark.vue'
import { vLines } from '@/ui/lines'
import { session } from '@/frame/session'
import BeliefLine from '@/ui/BeliefLine.vue'
import { surely } from '@/ui/belief'
import { useMachine } from '../machine'
import ExhibitLinks from '@/notes/ExhibitLinks.vue'
import CapacityAxis from './CapacityAxis.vue'
import StatementForm from './StatementForm.vue'
import { CEILING_WORDS, holdsWords, KIND_WORDS, saysWords, sourceWords } from './words'

const { machine, reload } = useMachine()
const view = shallowRef<CeilingView>()
const wrong = ref('')
const chosen = ref<string | null>(null)
/** The statement under the pointer: shown on the axis as long as it is there, and no choice. */
const pointed = ref<string | null>(null)
const stating = ref(false)
const params = computed(() => ({ path: { machine_id: machine.value.id } }))

const load = oneAtATime(async () => {
  try {
    view.value = await ask(api.GET('/api/machines/{machine_id}/ceiling', { params: params.value }))
  } catch (error) {
    wrong.value = wordsOf(error)
  }
})
watch(() => machine.value.version, load, { immediate: true })

function saved(changed: CeilingView): void {
  view.value = changed
  stating.value = false
  void reload()
}
async function withdraw(id: string): Promise<void> {
  try {
    saved(
      await ask(
        api.DELETE('/api/machines/{machine_id}/statements/{statement_id}', {
          params: { path: { machine_id: machine.value.id, statement_id: id } },
        }),
      ),
    )
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
const named = computed(() => new Map(view.value?.statements.map((s) => [s.id, s])))
/** What binds a ceiling, in words. */
function bindingWords(binding: string[]): string {
  const found = binding.map((id) => named.value.get(id)).filter((s) => s !== undefined)
  return found.length ? found.map((s) => `${sourceWords(s)}: ${saysWords(s)}`).join('; and ') : ''
}
function restWords(kind: string, gib: number | null): string {
  const v = view.value!
  if (gib === null) return 'nobody states one'
  if (kind === 'physical') return `the largest module a slot can take is ${gb(v.largest_module_gib)} GB`
  return 'several bind alike, or the slots and the largest module do'
}
/** Totals beyond what is official that were tried, each once. */
const likely = computed(() => {
  const official = view.value?.ceilings.find((c) => c.kind === 'official')?.gib ?? 0
  return [
    ...new Map(
      view.value?.shown
        .filter((t) => t.gib > Math.max(official, view.value!.now_gib) && ['fine', 'quirks'].includes(t.outcome))
        .map((t) => [t.gib, t]),
    ).values(),
  ]
})
const NEEDS: Record<string, string> = {
  'machine.firmware': 'the firmware’s version',
  'machine.system': 'the system’s version',
}
const needWords = (need: string) => NEEDS[need] ?? `the processor of ${need.split('.').at(-1)}`
</script>

<template>
  <div class="ceiling">
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <template v-if="view">
      <section class="panel axis" aria-labelledby="ceiling-axis">
        <div class="caption">
          <h2 id="ceiling-axis">How high, and who says so</h2>
          <span class="faded small">taller flag: more trust; dashed: does not hold now</span>
        </div>
        <CapacityAxis
          :view="view"
          :chosen="chosen"
          :pointed="pointed"
          @choose="chosen = chosen === $event ? null : $event" />
      </section>
      <section class="panel statements" aria-labelledby="ceiling-statements">
        <h2 id="ceiling-statements">Statements</h2>
        <p v-if="!view.statements.length">
          Nobody has stated how much it takes: no guide, no processor's maker, nobody who tried.
        </p>
        <div v-else class="scroll">
          <table v-lines>
            <thead>
              <tr>
                <th scope="col" class="number">in all</th>
                <th scope="col">says</th>
                <th scope="col">source</th>
                <th scope="col">when</th>
                <th scope="col">now</th>
                <th scope="col"><span class="visually-hidden">take back</span></th>
              </tr>
            </thead>
            <tbody>
              <tr
                v-for="s in view.statements"
                :key="s.id"
                :class="{ off: s.holds === false, chosen: [chosen, pointed].includes(s.id) }"
                @pointerenter="pointed = s.id"
                @pointerleave="pointed = null">
                <td class="number">{{ s.total_gib === null ? '' : gb(s.total_gib) }}</td>
                <th scope="row">
                  {{ saysWords(s) }}
                  <span v-if="s.official" class="tag official">official</span>
                  <span v-if="s.hard" class="tag hard">hard</span>
                </th>
                <td>
                  {{ sourceWords(s) }}
                  <span class="faded small kind"
                    >{{ KIND_WORDS[s.source.kind] }}<template v-if="s.processor">, {{ s.processor }}</template
                    ><template v-if="s.stated_by"
                      >, put in by {{ s.stated_by }}{{ s.of_model ? ' for every one of the model' : '' }}</template
                    ></span
                  >
                  <ExhibitLinks
                    v-if="s.stated_by"
                    :exhibits="s.exhibits"
                    :of="{ statement_id: s.id }"
                    :what="`what ${sourceWords(s)} states`"
                    @changed="load" />
                </td>
                <td>{{ s.condition || 'always' }}</td>
                <td :class="{ binds: s.binds.length }">
                  {{ holdsWords(s)
                  }}<span v-if="s.ran_beyond" class="beyond small"
                    ><SeverityMark severity="ask" /> in doubt: {{ s.ran_beyond }}</span
                  >
                </td>
                <td>
                  <button
                    v-if="s.stated_by && session.mayWrite()"
                    type="button"
                    class="quiet-link"
                    :aria-label="`Take back ${sourceWords(s)}`"
                    @click="withdraw(s.id)">
                    Take back
                  </button>
                </td>
              </tr>
            </tbody>
          </table>
        </div>
        <StatementForm v-if="stating" :machine="machine" :view="view" @saved="saved" @leave="stating = false" />
        <button type="button" class="press quiet add" v-else-if="session.mayWrite()" @click="stating = true">
          Say what is known
        </button>
        <template v-if="view.rests_on.length">
          <h2 class="elsewhere">
            {{
              view.planned_gib !== null
                ? 'What the plan rests on'
                : view.seen_running
                  ? 'What it would rest on, did it not run already'
                  : 'What it rests on: nobody saw it run'
            }}
          </h2>
          <BeliefLine v-for="b in view.rests_on" :key="b.words" :belief="b" />
        </template>
        <template v-if="view.elsewhere.length">
          <h2 class="elsewhere">Other models with this processor</h2>
          <p v-for="e in view.elsewhere" :key="e.sheet + e.scope + e.gib" class="small other">
            <b>{{ e.sheet }}</b>: {{ gb(e.gib) }} GB {{ e.scope === 'machine' ? 'in all' : `a ${e.scope}`
            }}{{ e.official ? ', official' : '' }}{{ e.condition ? `, ${e.condition}` : '' }}
            <span class="faded">({{ e.source.title }})</span>
          </p>
        </template>
      </section>
      <section class="panel sums" aria-labelledby="ceiling-sums">
        <h2 id="ceiling-sums">What it comes to</h2>
        <dl>
          <template v-for="c in view.ceilings" :key="c.kind">
            <dt>{{ CEILING_WORDS[c.kind] }}</dt>
            <dd>
              <strong v-if="c.gib !== null">{{ gb(c.gib) }} <small>GB</small></strong
              ><span v-else class="faded">nobody states one</span>
            </dd>
            <dd v-if="c.gib !== null" class="small binding">
              {{ bindingWords(c.binding) ? `Binds: ${bindingWords(c.binding)}.` : `${restWords(c.kind, c.gib)}.` }}
              <span v-if="c.needs.length" class="needs">
                Hangs on {{ c.needs.map(needWords).join(' and ') }}, not known.</span
              >
            </dd>
          </template>
        </dl>
        <template v-if="likely.length">
          <h3>Tried, beyond what is official</h3>
          <p v-for="t in likely" :key="t.gib" class="small">
            <b>{{ gb(t.gib) }} GB</b> {{ surely(t.works) }} likely to run here
          </p>
        </template>
        <template v-if="view.lifts.length">
          <h3>What would lift it</h3>
          <p v-for="l in view.lifts" :key="l.kind + l.by" class="small">
            <b>{{ l.by === 'processor' ? l.to : `${l.by} ${l.to}` }}</b> raises what is {{ CEILING_WORDS[l.kind] }} to
            <b>{{ gb(l.gib) }} GB</b> <span class="faded">({{ l.source.title }})</span>
          </p>
        </template>
      </section>
    </template>
  </div>
</template>

<style scoped>
.ceiling {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 340px;
  gap: 12px;
  padding: 10px 16px 12px 12px;
  align-content: start;
}
.axis {
  grid-column: 1 / 3;
  padding: 10px 16px 4px;
}
.caption {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
}
.statements,
.sums {
  padding: 12px 16px;
}
.scroll {
  overflow-x: auto;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 14px;
}
thead th {
  white-space: nowrap;
  font-weight: 400;
  font-size: 13px;
  color: var(--faded);
}
th,
td {
  text-align: left;
  vertical-align: top;
  padding: 5px 14px 5px 0;
}
.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
  font-weight: 650;
}
tbody tr {
  border-top: 1px solid var(--rule);
}
.chosen {
  background: var(--lit);
}
.off th,
.off td {
  color: var(--faded);
}
.kind {
  display: block;
}
.tag {
  margin-left: 6px;
  padding: 0 6px;
  border-radius: 3px;
  border: 1px solid currentColor;
  font-size: 12px;
  font-weight: 400;
}
.official {
  color: var(--umber);
}
.hard {
  color: var(--stop);
}
.binds {
  font-weight: 650;
}
.add {
  margin-top: 10px;
}
.elsewhere {
  margin-top: 14px;
}
.other {
  margin: 2px 0;
}
dl {
  display: grid;
  grid-template-columns: 1fr auto;
  align-items: baseline;
  margin: 0;
}
dt {
  color: var(--faded);
}
dd {
  margin: 0;
  text-align: right;
}
dd strong {
  font-size: 24px;
}
dd small {
  font-size: 14px;
}
dd.binding {
  grid-column: 1 / 3;
  text-align: left;
  margin: 0 0 10px;
  padding-bottom: 8px;
  border-bottom: 1px solid var(--rule);
}
.beyond {
  display: flex;
  gap: 6px;
  align-items: baseline;
  font-weight: 400;
}
.needs {
  color: var(--ask);
}
h3 {
  font-size: 15px;
  margin: 0;
}
.sums p {
  margin: 4px 0;
}
@media (max-width: 900px) {
  .ceiling {
    grid-template-columns: minmax(0, 1fr);
  }
  .axis {
    grid-column: 1;
    overflow-x: auto;
  }
}
</style>
