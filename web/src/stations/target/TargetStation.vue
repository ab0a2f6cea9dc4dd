<script setup lang="ts">
/** Target: what the machine is to carry at left; the totals that it can reach at right, with the need as a line across. */
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { api, ask, Refusal, wordsOf, type Layout, type SizingView, type Totals } from '@/api/client'
import { oneAtATime } from '@/api/turns'
import { counted, gb, gbDown, gbUp, meets } from '@/ui/figures'
import { session } from '@/frame/session'
import FieldFault from '@/ui/FieldFault.vue'
import { numberIn, useForm } from '@/ui/form'
import { vLines } from '@/ui/lines'
import SeverityMark from '@/ui/SeverityMark.vue'
import { useMachine } from '../machine'
import { assumedWords } from '../routes/words'
import FromSeen from './FromSeen.vue'
import { costWords, dutyWords, largestWords, mayOpen, RISKS, shortWords, USES, wayWords } from './words'

const { machine, reload } = useMachine()
const view = shallowRef<SizingView>()
const totals = shallowRef<Totals>()
const wrong = ref('')
const params = computed(() => ({ path: { machine_id: machine.value.id } }))
interface Line {
  kind: string
  count: string
  gib: string
  busy: string
}
const {
  values: form,
  faults,
  wrong: notKept,
  sending,
  submit: keep,
} = useForm(
  { lines: [] as Line[], base: '', cache: '', growth: '', years: '', headroom: '', used: '' },
  async () => {
    const said = saidBy(numberIn)
    try {
      show(
        await ask(
          api.PUT('/api/machines/{machine_id}/sizing', {
            params: params.value,
            body: { version: view.value!.version, ...said },
          }),
        ),
      )
      await reload()
    } catch (error) {
      if (!(error instanceof Refusal) || error.status !== 409) throw error
      show(error.problem.theirs as SizingView)
      throw new Error('Somebody else said what it is to carry meanwhile; that is shown now.', { cause: error })
    }
  },
  { workloads: 'lines', base_gib: 'base', cache_gib: 'cache', used_gib: 'used' },
)
let waiting: AbortController | null = null

/** Seconds that are sought for in turn: the first answer is soon there, and a longer one takes its place. */
const TIMES = [2, 12]
const looked = ref(0)
const looking = ref(false)
const text = (n: number | null, factor = 1) =>
  n === null || n === 0 ? '' : String(Math.round(n * factor * 1000) / 1000)
function show(found: SizingView): void {
  view.value = found
  const s = found.sizing
  Object.assign(form, {
    lines: s.workloads.map((w) => ({
      kind: w.kind,
      count: String(w.count),
      gib: String(w.gib),
      busy: String(Math.round(w.busy * 100)),
    })),
    base: text(s.base_gib),
    cache: text(s.cache_gib),
    growth: text(s.growth, 100),
    years: text(s.years),
    headroom: text(s.headroom, 100),
    used: text(s.used_gib),
  })
  if (!form.lines.length) add()
}
const load = oneAtATime(async () => {
  try {
    show(await ask(api.GET('/api/machines/{machine_id}/sizing', { params: params.value })))
  } catch (error) {
    wrong.value = wordsOf(error)
  }
})
async function reach(): Promise<void> {
  waiting?.abort()
  const mine = (waiting = new AbortController())
  looking.value = true
  try {
    for (const seconds of TIMES) {
      totals.value = await ask(
        api.POST('/api/machines/{machine_id}/totals', { params: params.value, body: { seconds }, signal: mine.signal }),
      )
      looked.value = seconds
      if (totals.value.proved) break
    }
  } catch (error) {
    if (!mine.signal.aborted) wrong.value = wordsOf(error)
  } finally {
    if (waiting === mine) looking.value = false
  }
}
watch(
  () => machine.value.version,
  () => Promise.all([load(), reach()]),
  { immediate: true },
)
onBeforeUnmount(() => waiting?.abort())

/** By what the machine shows: the system with all that is in use, the cache wanted, what found no room. Kept at a press, as all. */
function takeSeen(seen: { base: number; cache: number; refused: number; each: number; used: number | null }): void {
  Object.assign(form, { base: text(seen.base), cache: text(seen.cache), used: text(seen.used) })
  form.lines = seen.refused
    ? [{ kind: 'found no room', count: String(seen.refused), gib: String(seen.each), busy: '100' }]
    : []
  if (!form.lines.length) add()
}
const add = () => form.lines.push({ kind: '', count: '', gib: '', busy: '100' })
/** What the form says; a line that lacks its count or size says nothing yet. */
function saidBy(read: (field: string, typed: string) => number | null) {
  const number = (field: string, typed: string) => read(field, typed) ?? 0
  return {
    workloads: form.lines
      .filter((l) => l.count.trim() && l.gib.trim())
      .map((l) => ({
        kind: l.kind.trim(),
        count: Math.round(number('lines', l.count)),
        gib: number('lines', l.gib),
        busy: l.busy.trim() ? number('lines', l.busy) / 100 : 1,
      })),
    base_gib: number('base', form.base),
    cache_gib: number('cache', form.cache),
    growth: number('growth', form.growth) / 100,
    years: number('years', form.years),
    headroom: number('headroom', form.headroom) / 100,
    used_gib: read('used', form.used),
  }
}
const wanted = computed(() => saidBy((_, typed) => (typed.trim() ? Number(typed.trim().replace(',', '.')) : null)))
const changed = computed(
  () =>
    view.value !== undefined &&
    JSON.stringify(wanted.value) !==
      JSON.stringify({
        ...view.value.sizing,
        workloads: view.value.sizing.workloads.map(({ kind, count, gib, busy }) => ({ kind, count, gib, busy })),
      }),
)
const need = computed(() => view.value?.need.total ?? 0)
/** Totals from the largest, with the need and what there is now as lines between. */
const rungs = computed(() => {
  const all = (totals.value?.totals ?? []).map((t) => ({ at: t.usable_gib, total: t as typeof t | null, line: '' }))
  if (need.value) all.push({ at: need.value, total: null, line: 'need' })
  return all.sort((a, b) => b.at - a.at || Number(a.total !== null) - Number(b.total !== null))
})
/** Rounded down as it is shown, but never below a need that it meets. */
const wishOf = (usable: number) =>
  need.value && meets(usable, need.value) ? Math.max(Number(gbDown(usable)), need.value) : Number(gbDown(usable))
const wishesFor = (usable: number, wishes: object) => ({
  path: `/machines/${machine.value.id}/routes`,
  query: { wishes: JSON.stringify({ usable_gib: wishOf(usable), ...wishes }) },
})
/** The smallest total that meets the need, at each risk. */
const enough = computed(() => {
  const reached = (totals.value?.totals ?? []).filter((t) => meets(t.usable_gib, need.value))
  return new Map(
    RISKS.map((r) => [
      r.key,
      [...reached].filter((t) => t[r.key]).sort((a, b) => Number(a[r.key]!.cost) - Number(b[r.key]!.cost))[0]
        ?.usable_gib,
    ]),
  )
})
</script>

<template>
  <div class="target">
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <form v-if="view" class="panel fields loads" aria-label="What it is to carry" @submit.prevent="keep">
      <h2>What it is to carry</h2>
      <FromSeen :machine-id="machine.id" :zone="machine.zone" @take="takeSeen" />
      <table>
        <thead>
          <tr>
            <th scope="col">workload</th>
            <th scope="col">how many</th>
            <th scope="col">GB each</th>
            <th scope="col">busy at once, %</th>
            <th scope="col"><span class="visually-hidden">leave out</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(line, i) in form.lines" :key="i">
            <td>
              <label
                ><span class="visually-hidden">Workload {{ i + 1 }}</span
                ><input v-model="line.kind" maxlength="120" placeholder="virtual machines"
              /></label>
            </td>
            <td>
              <label
                ><span class="visually-hidden">How many of workload {{ i + 1 }}</span
                ><input v-model="line.count" inputmode="numeric"
              /></label>
            </td>
            <td>
              <label
                ><span class="visually-hidden">GB each of workload {{ i + 1 }}</span
                ><input v-model="line.gib" inputmode="decimal"
              /></label>
            </td>
            <td>
              <label
                ><span class="visually-hidden">Busy at once of workload {{ i + 1 }}</span
                ><input v-model="line.busy" inputmode="decimal"
              /></label>
            </td>
            <td>
              <button
                type="button"
                class="quiet-link"
                :aria-label="`Leave out workload ${i + 1}`"
                @click="form.lines.splice(i, 1)">
                ×
              </button>
            </td>
          </tr>
        </tbody>
      </table>
      <FieldFault :of="faults" name="lines" />
      <p v-if="notKept" class="wrong" role="alert">{{ notKept }}</p>
      <button type="button" class="quiet-link another" @click="add">Another workload</button>
      <div class="rest">
        <label
          >System itself [GB] <input v-model="form.base" inputmode="decimal" /><FieldFault :of="faults" name="base"
        /></label>
        <label
          >Cache wanted [GB] <input v-model="form.cache" inputmode="decimal" /><FieldFault :of="faults" name="cache"
        /></label>
        <label
          >Growth a year [%] <input v-model="form.growth" inputmode="decimal" /><FieldFault :of="faults" name="growth"
        /></label>
        <label
          >For how many years <input v-model="form.years" inputmode="decimal" /><FieldFault :of="faults" name="years"
        /></label>
        <label
          >Headroom [%] <input v-model="form.headroom" inputmode="decimal" /><FieldFault :of="faults" name="headroom"
        /></label>
        <label
          >Most in use today [GB] <input v-model="form.used" inputmode="decimal" placeholder="not known" /><FieldFault
            :of="faults"
            name="used"
        /></label>
      </div>
      <div class="sum">
        <div>
          <strong>{{ gbUp(view.need.total) }} <small>GB needed</small></strong>
          <p v-if="view.need.total" class="small faded">
            {{ gb(view.need.base) }} system, {{ gb(view.need.grown) }} loads and cache after
            {{ view.sizing.years || 0 }} {{ view.sizing.years === 1 ? 'year' : 'years' }} ({{
              gb(view.need.loads)
            }}
            loads today), {{ gb(view.need.headroom) }} headroom
          </p>
          <p v-else class="small faded">Nothing is said yet: how many of what, and how much each takes.</p>
        </div>
        <button class="press" v-if="session.mayWrite()" type="submit" :disabled="sending || !changed">Keep</button>
      </div>
    </form>

    <section v-if="view" class="panel ladder" aria-labelledby="reach">
      <div class="caption">
        <h2 id="reach">Totals it can reach</h2>
        <span class="small"
          >now {{ machine.evaluation.tolerance_gib === null && !machine.evaluation.not_counted ? 'at most ' : ''
          }}{{ counted(view.usable_gib, machine.evaluation.not_counted, gbDown) }} GB usable<template
            v-if="need && !machine.evaluation.not_counted"
            >,
            <b :class="meets(view.usable_gib, need) ? 'good' : 'lacking'">{{
              shortWords(view.usable_gib, need)
            }}</b></template
          ></span
        >
      </div>
      <p v-if="view.use" class="small">
        {{ USES[view.use] }}
        <span v-if="view.sizing.used_gib === null && view.told_used_gib !== null" class="faded"
          >It told {{ gb(view.told_used_gib) }} GB in use when it was last asked.</span
        >
      </p>
      <table v-lines v-if="rungs.length && totals?.totals.length">
        <thead>
          <tr>
            <th scope="col" class="number">usable GB</th>
            <th v-for="r in RISKS" :key="r.key" scope="col">{{ r.words }}</th>
          </tr>
        </thead>
        <tbody>
          <tr
            v-for="rung in rungs"
            :key="rung.at + rung.line"
            :class="{ need: rung.line, under: !rung.line && need > rung.at }">
            <template v-if="rung.total">
              <th scope="row" class="number">{{ gb(rung.at) }}</th>
              <td v-for="r in RISKS" :key="r.key">
                <router-link
                  v-if="rung.total[r.key]"
                  class="way"
                  :class="{ first: enough.get(r.key) === rung.at && need > 0 }"
                  :to="wishesFor(rung.at, r.wishes)">
                  <b>{{ costWords(rung.total[r.key]!, totals!) }}</b>
                  <span class="small faded">{{ wayWords(rung.total[r.key]!) }}</span>
                </router-link>
                <span v-else class="faded" aria-label="no way">–</span>
              </td>
            </template>
            <td v-else :colspan="RISKS.length + 1">
              <span>need {{ gbUp(rung.at) }}</span>
            </td>
          </tr>
        </tbody>
      </table>
      <p v-else-if="totals?.ended === 'no time' && !looking" class="faded">
        Nothing was found in {{ looked }} seconds; that is no answer yet.
        <button type="button" class="quiet-link" @click="reach">Look again</button>
      </p>
      <p v-else-if="totals && totals.ended !== 'no time'" class="faded">
        What {{ totals.assumed ? 'the standards have' : 'is at hand' }} leads nowhere from here.
      </p>
      <p v-else class="faded" role="status">working out what it can reach</p>
      <p v-if="totals?.assumed && totals.totals.length" class="small">
        <b>Nobody offers these modules:</b> they are {{ assumedWords(machine.slots as Layout, machine.board.title) }},
        {{ totals.priced ? 'at your guess of what a GB costs' : 'without a price' }}.
        <router-link class="quiet-link" :to="`/machines/${machine.id}/routes`">Routes</router-link> says what to look
        for.
      </p>
      <p v-if="totals && !totals.proved && totals.totals.length" class="small faded" role="status">
        Not all was looked at in {{ looked }} seconds: there may be {{ totals.priced ? 'cheaper ways' : 'others' }}.{{
          looking ? ' It goes on.' : ''
        }}
      </p>
    </section>

    <section v-if="view?.duty" class="panel duty" aria-labelledby="duty">
      <h2 id="duty">Duty group {{ view.duty.group }}</h2>
      <p class="may"><SeverityMark :severity="mayOpen(view.duty)" /> {{ dutyWords(view.duty) }}</p>
      <p v-if="largestWords(view.duty)" class="small">{{ largestWords(view.duty) }}</p>
      <p class="small faded">
        Loads of all: {{ gb(view.duty.load_gib) }} GB. The others have {{ gb(view.duty.room_gib) }} GB, and
        {{ gb(view.duty.room_with_one_lost_gib) }} GB if the largest of them is lost.
      </p>
      <ul>
        <li v-for="m in view.duty.members" :key="m.id">
          <router-link class="quiet-link" :to="`/machines/${m.id}/target`">{{ m.name }}</router-link>
          <span class="bar" aria-hidden="true"
            ><i :style="{ width: `${Math.min(100, (100 * (m.load_gib ?? 0)) / m.usable_gib)}%` }"></i
          ></span>
          <span class="small">{{
            m.load_gib === null ? 'load not known' : `${gb(m.load_gib)} of ${gb(m.usable_gib)} GB`
          }}</span>
        </li>
      </ul>
    </section>
  </div>
</template>

<style scoped>
.target {
  display: grid;
  grid-template-columns: minmax(0, 5fr) minmax(0, 7fr);
  gap: 10px 12px;
  padding: 10px 16px 16px 12px;
  align-content: start;
}
.wrong {
  grid-column: 1 / 3;
}
.panel {
  padding: 12px 16px;
}
.ladder {
  grid-row: span 2;
}
.caption {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: baseline;
  gap: 2px 14px;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 14px;
  margin-top: 6px;
}
th,
td {
  text-align: left;
  vertical-align: top;
  font-weight: 400;
  padding: 4px 10px 4px 0;
}
thead th {
  font-size: 13px;
  color: var(--faded);
}
.loads td:first-child {
  width: 42%;
}
.another {
  margin: 4px 0 10px;
}
.rest {
  display: grid;
  grid-template-columns: repeat(3, minmax(0, 1fr));
  gap: 8px 12px;
  align-items: end;
}
.sum {
  display: flex;
  justify-content: space-between;
  align-items: end;
  gap: 16px;
  margin-top: 12px;
  border-top: 1px solid var(--rule);
  padding-top: 10px;
}
.sum strong {
  font-size: 28px;
}
.sum small {
  font-size: 14px;
  font-weight: 400;
}
.sum p {
  margin: 2px 0 0;
}
.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}
.ladder thead th:not(.number) {
  padding-left: 11px;
}
.ladder tbody td > span.faded {
  padding-left: 11px;
}
.ladder > p {
  margin: 4px 0 0;
}
.ladder tbody th {
  font-size: 17px;
  font-weight: 650;
}
.ladder tbody tr {
  border-top: 1px solid var(--rule);
}
.under {
  background: var(--paper);
}
.under th,
.under .way b {
  color: var(--faded);
}
.way {
  display: grid;
  align-content: center;
  color: inherit;
  text-decoration: none;
  padding-left: 8px;
  border-left: 3px solid transparent;
}
.way:hover b {
  text-decoration: underline;
}
.way.first {
  border-left-color: var(--umber);
}
.way.first b {
  color: var(--umber);
}
tr.need td {
  padding: 0;
  border-top: 2px dashed var(--umber);
  line-height: 1;
}
tr.need span {
  display: inline-block;
  padding: 3px 8px;
  background: var(--umber);
  color: var(--on-umber);
  font-size: 13px;
  font-weight: 600;
}
.good {
  color: var(--go);
}
.lacking {
  color: var(--stop);
}
.duty ul {
  list-style: none;
  margin: 8px 0 0;
  padding: 0;
}
.duty li {
  display: grid;
  grid-template-columns: 90px minmax(60px, 1fr) 150px;
  gap: 10px;
  align-items: center;
}
.bar {
  display: block;
  height: 8px;
  background: var(--rule);
}
.bar i {
  display: block;
  height: 100%;
  background: var(--umber);
}
.may {
  display: flex;
  gap: 8px;
  align-items: baseline;
  margin: 6px 0 2px;
  font-weight: 600;
}
@media (max-width: 900px) {
  .target {
    grid-template-columns: minmax(0, 1fr);
  }
  .wrong {
    grid-column: 1;
  }
  .ladder {
    grid-row: auto;
  }
}
</style>
