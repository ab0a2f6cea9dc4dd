<script setup lang="ts">
/** Routes: every way to what is wished that no other beats, side by side; one of them becomes the plan. */
import { computed, onBeforeUnmount, ref, shallowRef, watch } from 'vue'
import { useRoute, useRouter } from 'vue-router'
import { api, ask, Refusal, wordsOf, type Layout, type Route, type RoutesView, type Wishes } from '@/api/client'
import BoardGlyph from '@/board/BoardGlyph.vue'
import { glyphOf } from '@/board/glyph'
import { vLines } from '@/ui/lines'
import { session } from '@/frame/session'
import VerdictWord from '@/ui/VerdictWord.vue'
import { plural } from '@/ui/words'
import { useMachine } from '../machine'
import RouteCompare from './RouteCompare.vue'
import RouteDetail from './RouteDetail.vue'
import RoutePlot from './RoutePlot.vue'
import WishBar from './WishBar.vue'
import GuessForm from './GuessForm.vue'
import {
  assumedWords,
  beats,
  fastOf,
  gained,
  given,
  layoutOf,
  letterOf,
  money,
  NAMES,
  rateOf,
  routeWords,
  signed,
  troubleOf,
  usableOf,
  whereNow,
  WISHES,
} from './words'

const { machine, reload, routesState } = useMachine()
const place = useRoute()
const router = useRouter()
const view = shallowRef<RoutesView>()
const keeps = computed(() =>
  Object.values(view.value?.fitted ?? {}).some((at) => at !== null && view.value!.modules[at]!.keeps),
)
const wrong = ref('')
const searching = ref(false)
const chosen = ref<number | null>(null)
/** Somebody has chosen; else the one within the warranty is shown. */
const byHand = ref(false)
const beaten = ref('')
const pinned = ref<number[]>([])
/** Whether to look among what the standards have; null: where nothing at hand goes in. */
const assume = ref<boolean | null>(null)
let waiting: AbortController | null = null

/** Time for a first answer, and for searching on while nobody says stop. [s] */
const TIMES = [3, 12, 50]

/** What the machine needs is what is wished, or more than there is now, unless something else is said. */
const usual = computed<Wishes>(() => ({
  usable_gib: machine.value.need_gib ?? Math.floor(machine.value.evaluation.usable_gib) + 1,
}))
const wishes = computed<Wishes>(() => {
  try {
    return place.query.wishes ? (JSON.parse(String(place.query.wishes)) as Wishes) : usual.value
  } catch {
    return usual.value
  }
})
function change(changes: Partial<Wishes>): void {
  const next = Object.fromEntries(
    Object.entries({ ...wishes.value, ...changes }).filter(([, v]) => v !== null && v !== undefined),
  )
  void router.replace({ query: { wishes: JSON.stringify(next) } })
}

/** The best so far soon, and again after longer, till it is proved or somebody says stop. */
async function search(times: number[]): Promise<void> {
  waiting?.abort()
  const mine = (waiting = new AbortController())
  searching.value = true
  try {
    const params = { path: { machine_id: machine.value.id } }
    for (const seconds of times) {
      show(
        await ask(
          api.POST('/api/machines/{machine_id}/routes', {
            params,
            body: { wishes: wishes.value, seconds, assume: assume.value },
            signal: mine.signal,
          }),
        ),
      )
      if (view.value!.proved) break
    }
  } catch (error) {
    if (mine.signal.aborted) return
    wrong.value =
      error instanceof Refusal && error.problem.errors?.length
        ? error.problem.errors.map((e) => e.message).join('; ')
        : wordsOf(error)
  } finally {
    if (waiting === mine) searching.value = false
  }
}
function show(found: RoutesView): void {
  const before = view.value?.routes ?? []
  const looked = chosen.value !== null && byHand.value ? before[chosen.value] : undefined
  view.value = found
  wrong.value = ''
  beaten.value = ''
  routesState.value = found.routes.length
    ? plural(found.routes.length, 'route')
    : found.ended === 'no time'
      ? 'none found yet'
      : 'no route'
  // What somebody looks at stays before his eyes, whatever letter it has now; what is gone was beaten, and that is said.
  pinned.value = pinned.value.map((i) => whereNow(before[i], found.routes)).filter((i) => i >= 0)
  const still = whereNow(looked, found.routes)
  if (still >= 0) chosen.value = still
  else {
    const better = looked ? found.routes.findIndex((r) => beats(r, looked)) : -1
    // Where nothing has a price, the first is no cheaper than the others: what is least work is looked at first.
    const first =
      ['in-warranty', 'cheapest', 'least-handling']
        .map((name) => found.routes.findIndex((r) => r.names.includes(name as never)))
        .find((i) => i >= 0) ?? 0
    chosen.value = found.routes.length ? Math.max(better < 0 ? first : better, 0) : null
    if (looked && found.routes.length) {
      const by = better < 0 ? 'others found since are' : `route ${letterOf(better)} found since is`
      beaten.value = `${routeWords(looked)} (${money(looked.cost, found.money.currency)}) no longer stands: ${by} better.`
    }
  }
}
function choose(index: number): void {
  chosen.value = index
  byHand.value = true
  beaten.value = ''
}
function stop(): void {
  waiting?.abort()
  waiting = null
  searching.value = false
}
watch(
  [() => machine.value.version, () => JSON.stringify(wishes.value), assume],
  () => {
    byHand.value = false // another question: what was chosen answered the last one
    pinned.value = []
    void search(TIMES)
  },
  { immediate: true },
)
onBeforeUnmount(() => waiting?.abort())

const now = computed(() => ({
  usable: machine.value.evaluation.usable_gib,
  open: machine.value.evaluation.not_counted,
  gbs: machine.value.evaluation.sockets.reduce((sum, s) => sum + (s.sustained_gbs ?? 0), 0),
}))
const rowsSort = ref<'named' | 'cost' | 'usable_gib' | 'sustained_gbs' | 'trouble' | 'free_slots' | 'touches'>('named')
/** Columns by which the list is sorted, and whether more comes first. */
const COLUMNS: { key: typeof rowsSort.value; words: string; most?: boolean }[] = [
  { key: 'usable_gib', words: 'usable', most: true },
  { key: 'cost', words: 'cost' },
  { key: 'sustained_gbs', words: 'GB/s', most: true },
  { key: 'trouble', words: 'trouble' },
  { key: 'free_slots', words: 'free', most: true },
  { key: 'touches', words: 'slots handled' },
]
const rows = computed(() => {
  const all = (view.value?.routes ?? []).map((route, index) => ({ route, index }))
  const key = rowsSort.value
  if (key === 'named')
    return all.sort((a, b) => Number(b.route.names.length > 0) - Number(a.route.names.length > 0) || a.index - b.index)
  const sign = COLUMNS.find((c) => c.key === key)!.most ? -1 : 1
  return all.sort((a, b) => sign * (Number(a.route[key]) - Number(b.route[key])) || a.index - b.index)
})
/** Without an order and without prices hundreds of ways stand beside each other: the first of them, and what is chosen or pinned. */
const FEW = 40
const whole = ref(false)
const shown = computed(() => {
  const some =
    whole.value || rows.value.length <= FEW + 10
      ? rows.value
      : rows.value.filter((r, i) => i < FEW || r.index === chosen.value || pinned.value.includes(r.index))
  return some.map((r) => ({
    ...r,
    glyph: glyphOf(
      machine.value.board,
      layoutOf(view.value!),
      layoutOf(view.value!, r.route.changes),
      machine.value.failed,
    ),
  }))
})
function pin(index: number): void {
  pinned.value = pinned.value.includes(index)
    ? pinned.value.filter((i) => i !== index)
    : [...pinned.value, index].slice(-3)
}
async function plan(route: Route, stages: Layout[] = []): Promise<void> {
  try {
    const params = { path: { machine_id: machine.value.id } }
    const taken = new Set(machine.value.plans.map((p) => p.name))
    const words = routeWords(route).slice(0, 100)
    const name =
      [words, ...Array.from({ length: 50 }, (_, i) => `${words} (${i + 2})`)].find((n) => !taken.has(n)) ?? null
    await ask(
      api.POST('/api/machines/{machine_id}/plans', {
        params,
        body: {
          name,
          goal: layoutOf(view.value!, route.changes) as never,
          ...(stages.length ? { stages: stages as never } : {}),
        },
      }),
    )
    await reload()
    await router.push(`/machines/${machine.value.id}/fit`)
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
const gapWords = computed(() => {
  const v = view.value
  if (!v || v.proved) return v?.routes.length ? 'proved: no way beats these' : ''
  if (v.gap === null || !v.priced) return 'not all was looked at'
  return v.gap < 0.001
    ? 'not all was looked at; none can be cheaper'
    : `not all was looked at; the cheapest could be ${(100 * v.gap).toFixed(1)} % cheaper at most`
})
</script>

<template>
  <div class="routes">
    <div class="top">
      <WishBar :wishes="wishes" :currency="view?.money.currency ?? ''" :keeps="keeps" @change="change" />
      <p class="state small" role="status">
        <template v-if="searching"
          ><template v-if="view && !view.proved"
            ><b>{{ plural(view.routes.length, 'route') }}</b> so far,
            <span class="faded">{{ gapWords }};</span></template
          >
          searching{{ view && !view.proved ? ' on' : '' }}
          <button type="button" class="quiet-link" @click="stop">Stop</button></template
        >
        <template v-else-if="view">
          <b v-if="view.routes.length">{{ plural(view.routes.length, 'route') }}</b>{{ view.routes.length ? '; ' : ''
          }}<span class="faded">{{ gapWords }}</span>
          <button v-if="!view.proved" type="button" class="quiet-link" @click="search(TIMES.slice(-1))">
            Search on
          </button>
        </template>
        <template v-if="view?.slower && view.routes.length">
          <br />Left out: what runs slower than now.
          <button type="button" class="quiet-link" @click="change({ less_bandwidth: true })">Show it</button>
        </template>
      </p>
    </div>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <p v-if="view?.gave_up.length && view.routes.length" class="assumed small" role="status">
      <b>No way runs as fast as now:</b> these run slower, and each says by how much.
    </p>
    <p v-if="view?.left_out.length" class="assumed small" role="status">
      <span
        ><b>Not used:</b> {{ view.left_out.join('; ') }}.
        <router-link class="quiet-link" to="/shelf">Put it right on the Shelf</router-link></span
      >
    </p>
    <p v-if="view?.assumed" class="assumed small">
      <span
        ><b>Nobody offers these modules:</b> they are {{ assumedWords(machine.slots as Layout, machine.board.title) }},
        judged like any other.</span
      >
      <GuessForm :money="view.money" @kept="search(TIMES)" />
      <button v-if="view.on_shelf || view.on_offer" type="button" class="quiet-link" @click="assume = null">
        Back to what is at hand
      </button>
      <router-link v-else class="quiet-link" to="/shelf">Put modules and offers on the Shelf</router-link>
    </p>
    <section v-if="view && view.ended === 'no time'" class="panel none">
      <h2>Nothing found {{ searching ? 'yet' : 'in time' }}</h2>
      <p>
        That is no answer yet: there may be ways. <template v-if="searching">The search goes on.</template
        ><button v-else type="button" class="quiet-link" @click="search(TIMES.slice(-1))">Search on</button>
      </p>
    </section>
    <section v-else-if="view && !view.routes.length" class="panel none">
      <h2>No way to that</h2>
      <template v-if="view.relax.length">
        <p>There is one without</p>
        <ul>
          <li v-for="names in view.relax" :key="names.join()">
            {{ names.map((n) => WISHES[n]).join(' and ') }}
            <button type="button" class="quiet-link" @click="change(Object.assign({}, ...names.map(given)))">
              Give {{ names.length > 1 ? 'them' : 'it' }} up
            </button>
          </li>
        </ul>
        <p v-if="!view.relax_proved" class="small">
          There may be others: not all were found out in the time there was.
        </p>
      </template>
      <p v-else-if="!view.relax_proved">
        Which wish stands in its way was not found out in the time there was: give up one and look.
      </p>
      <p v-else-if="view.assumed">Nothing that the standards have leads there, whatever wish is given up.</p>
      <p v-else>
        What is at hand ({{ plural(view.on_shelf, 'line') }} on the Shelf, {{ plural(view.on_offer, 'offer') }}) does
        not lead there, whatever wish is given up.
      </p>
      <p v-if="!view.assumed">
        <button type="button" class="quiet-link" @click="assume = true">What could be bought for it</button>
      </p>
    </section>
    <template v-else-if="view">
      <section class="panel">
        <RoutePlot
          :routes="view.routes"
          :chosen="chosen"
          :pinned="pinned"
          :need="wishes.usable_gib ?? null"
          :budget="wishes.budget ? Number(wishes.budget) : null"
          :currency="view.money.currency"
          :priced="view.priced"
          :now="now"
          @choose="choose" />
      </section>
      <div class="panel side">
        <p v-if="beaten" class="beaten small" role="status">{{ beaten }}</p>
        <RouteCompare v-if="pinned.length" :view="view" :pinned="pinned" @unpin="pin" />
        <RouteDetail
          v-else-if="chosen !== null"
          :view="view"
          :index="chosen"
          :board="machine.board"
          :now="now"
          :machine-id="machine.id"
          @plan="(stages) => plan(view!.routes[chosen!]!, stages)" />
      </div>
      <section class="panel list" aria-label="Routes">
        <table v-lines>
          <thead>
            <tr>
              <th scope="col">
                <button type="button" class="sort" :aria-pressed="rowsSort === 'named'" @click="rowsSort = 'named'">
                  route
                </button>
              </th>
              <th scope="col">board</th>
              <th scope="col">what is done</th>
              <template v-for="c in COLUMNS" :key="c.key">
                <th scope="col" class="number">
                  <button type="button" class="sort" :aria-pressed="rowsSort === c.key" @click="rowsSort = c.key">
                    {{ c.words }}
                  </button>
                </th>
                <th v-if="c.key === 'sustained_gbs'" scope="col" class="number">MT/s</th>
              </template>
              <th scope="col">stands</th>
              <th scope="col"><span class="visually-hidden">do</span></th>
            </tr>
          </thead>
          <tbody>
            <tr
              v-for="{ route, index, glyph } in shown"
              :key="index"
              :class="{ chosen: index === chosen }"
              @click="choose(index)">
              <th scope="row">
                <button
                  type="button"
                  class="letter"
                  :aria-pressed="index === chosen"
                  :aria-label="`Choose route ${letterOf(index)}`">
                  {{ letterOf(index) }}
                </button>
              </th>
              <td><BoardGlyph :groups="glyph" /></td>
              <td>
                <b v-if="route.names.length" class="called">{{ route.names.map((n) => NAMES[n]).join(', ') }}</b>
                <span :class="{ small: route.names.length }">{{ routeWords(route) }}</span>
              </td>
              <td class="number">
                {{ usableOf(route)
                }}<span v-if="view.now.verdict !== 'no-go' && gained(route, now) !== null" class="faded small under">{{
                  signed(gained(route, now)!)
                }}</span>
              </td>
              <td class="number">{{ view.priced ? money(route.cost, '') : '–' }}</td>
              <td class="number">
                {{ fastOf(route)?.toFixed(1) ?? '?'
                }}<span
                  v-if="now.gbs && fastOf(route) !== null"
                  class="faded small under"
                  :class="{ lacking: route.sustained_gbs < now.gbs - 0.05 }"
                  >{{ signed(route.sustained_gbs - now.gbs) }}</span
                >
              </td>
              <td class="number">{{ rateOf(route) ?? '?' }}</td>
              <td class="number">{{ route.trouble ? troubleOf(route) : '' }}</td>
              <td class="number">{{ route.free_slots }}</td>
              <td class="number">{{ route.touches }}</td>
              <td class="stands">
                <VerdictWord :of="route.evaluation" /><small v-if="route.in_warranty" class="faded under"
                  >inside the warranty</small
                >
              </td>
              <td class="do">
                <button
                  v-if="session.mayWrite()"
                  type="button"
                  class="quiet-link"
                  :aria-label="`Plan it: route ${letterOf(index)}`"
                  @click.stop="plan(route)">
                  Plan it
                </button>
                <button
                  v-if="session.mayWrite() && route.first_stage"
                  type="button"
                  class="quiet-link"
                  :aria-label="`In two stages: plan route ${letterOf(index)}`"
                  title="one module first, proved, then the rest"
                  @click.stop="plan(route, [layoutOf(view!, route.first_stage)])">
                  In two stages
                </button>
                <button
                  type="button"
                  class="quiet-link"
                  :aria-pressed="pinned.includes(index)"
                  :aria-label="`${pinned.includes(index) ? 'Unpin' : 'Pin'} route ${letterOf(index)}`"
                  @click.stop="pin(index)">
                  {{ pinned.includes(index) ? 'Unpin' : 'Pin' }}
                </button>
              </td>
            </tr>
          </tbody>
        </table>
        <p v-if="shown.length < rows.length" class="rest small">
          <button type="button" class="quiet-link" @click="whole = true">
            and {{ rows.length - shown.length }} more routes</button
          >{{ ' ' }}
          <span class="faded">that cost, give or risk something else; wishes leave fewer</span>
        </p>
      </section>
    </template>
  </div>
</template>

<style scoped>
.rest {
  padding: 8px 14px 12px;
}
.routes {
  display: grid;
  grid-template-columns: minmax(0, 1.25fr) minmax(0, 1fr);
  gap: 10px 12px;
  padding: 10px 16px 16px 12px;
  align-content: start;
}
.top {
  grid-column: 1 / -1;
  display: flex;
  gap: 8px 20px;
  align-items: start;
  justify-content: space-between;
}
.state {
  margin: 12px 16px 0 0;
  text-align: right;
  flex: none;
  width: 240px;
}
.wrong,
.assumed,
.none,
.list {
  grid-column: 1 / -1;
}
.assumed {
  margin: 0 16px;
  display: flex;
  flex-wrap: wrap;
  gap: 2px 14px;
}
.none {
  padding: 20px 24px;
}
.beaten {
  margin: 8px 16px 0;
}
.side {
  max-height: 432px;
  overflow-y: auto;
}
.list {
  position: relative;
  overflow-x: auto;
  padding: 4px 16px 8px;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 14px;
}
th,
td {
  text-align: left;
  padding: 6px 14px 6px 0;
  vertical-align: middle;
}
thead th {
  font-weight: 400;
  font-size: 13px;
  color: var(--faded);
}
.sort {
  color: inherit;
  font-size: 13px;
}
.sort[aria-pressed='true'] {
  color: var(--ink);
  font-weight: 650;
  text-decoration: underline;
  text-underline-offset: 4px;
}
.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}
tbody tr {
  border-top: 1px solid var(--rule);
  cursor: pointer;
}
tbody tr.chosen {
  background: var(--lit);
}
.letter {
  font-size: 17px;
  font-weight: 650;
  padding: 0 8px;
}
.called,
.under {
  display: block;
}
.stands {
  min-width: 110px;
}
.do {
  white-space: nowrap;
  text-align: right;
  padding-right: 4px;
}
.do button {
  margin-left: 12px;
}
/* On a phone each route is a few lines: its letter beside what is done, then its figures by name. */
@media (max-width: 700px) {
  .list {
    overflow-x: visible;
  }
  .list tbody > tr > th[scope='row'] {
    flex: 0 0 44px !important;
  }
  .list tbody > tr > td:nth-child(2) {
    display: none !important;
  }
  .list tbody > tr > td:nth-child(3) {
    flex: 1 0 calc(100% - 70px);
  }
  .list tbody > tr > td:nth-child(3)::before,
  .stands::before {
    content: none !important;
  }
  .stands,
  .do {
    flex: 1 0 100%;
    white-space: normal;
  }
  .do button {
    margin: 0 16px 0 0;
  }
}
@media (max-width: 900px) {
  .routes {
    grid-template-columns: minmax(0, 1fr);
  }
  .top {
    flex-direction: column;
  }
  .side {
    max-height: none;
  }
  .state {
    text-align: left;
    width: auto;
    margin: 0 16px;
  }
}
</style>
