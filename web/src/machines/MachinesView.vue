<script setup lang="ts">
/** Everything looked after, with its state at a glance. */
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from 'vue'
import { api, ask, wordsOf, type MachineLine, type MachinePage, type Rejudged } from '@/api/client'
import { health } from '@/api/health'
import BoardGlyph from '@/board/BoardGlyph.vue'
import { gb } from '@/board/state'
import { useLoaded } from '@/stations/live'
import { session } from '@/frame/session'
import SeverityMark from '@/ui/SeverityMark.vue'
import { age, isOld, plural } from '@/ui/words'

const page = shallowRef<MachinePage>()
const text = ref('')
const number = ref(0)
const worstFirst = ref(false)
const retired = ref(false)
type Want = 'stop' | 'ask' | 'risk' | 'failed'
const want = ref<Want | null>(null)
const WANTS: { key: Want; words: string }[] = [
  { key: 'stop', words: 'stopped' },
  { key: 'ask', words: 'to ask' },
  { key: 'risk', words: 'at risk' },
  { key: 'failed', words: 'failed modules' },
]
const wrong = ref('')
const search = ref<HTMLInputElement>()
let asked = 0

async function load(): Promise<void> {
  const mine = ++asked
  try {
    const found = await ask(api.GET('/api/machines', { params: { query: { q: text.value, page: number.value, order: worstFirst.value ? 'worst' : 'name', want: want.value ?? undefined, retired: retired.value } } }))
    if (mine === asked) page.value = found
    wrong.value = ''
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
watch([text, want, retired, worstFirst], () => (number.value = 0))
useLoaded(() => [text.value, number.value, want.value, retired.value, worstFirst.value], load)

/** Verdicts that changed by themselves, of the last weeks; more come a page at a time. */
const changed = shallowRef<Rejudged[]>([])
const changedInAll = ref(0)
async function tellChanged(before?: number): Promise<void> {
  try {
    const found = await ask(api.GET('/api/machines/verdicts/changed', { params: { query: { before } } }))
    changed.value = before ? [...changed.value, ...found.changes] : found.changes
    changedInAll.value = found.total
  } catch {
    // the banner tells
  }
}
useLoaded(() => null, () => tellChanged())
const lines = computed(() => page.value?.machines ?? [])
const wanting = computed(() => lines.value.filter((l) => l.summary.worst_severity === 'stop' || l.summary.worst_severity === 'ask' || l.summary.failed).length)
const lastPage = computed(() => (page.value ? Math.max(0, Math.ceil(page.value.total / page.value.page_size) - 1) : 0))

/** The bar's end: the larger of what somebody states and what is or will be in it. */
function scale(l: MachineLine): number {
  return Math.max(l.summary.official_gib ?? 0, l.summary.installed_gib, l.summary.planned_gib ?? 0, 1)
}
const share = (value: number | null | undefined, l: MachineLine) => `${(100 * (value ?? 0)) / scale(l)}%`

function onKey(event: KeyboardEvent): void {
  if (event.key === '/' && !(event.target as Element).closest('input')) {
    event.preventDefault()
    search.value?.focus()
  }
}
onMounted(() => addEventListener('keydown', onKey))
onBeforeUnmount(() => removeEventListener('keydown', onKey))
</script>

<template>
  <div class="machines">
    <header>
      <h1>Machines</h1>
      <span v-if="page" class="faded">
        {{ page.total }} looked after<template v-if="wanting">, {{ wanting }} {{ wanting === 1 ? 'wants' : 'want' }} you</template>
      </span>
      <input ref="search" v-model="text" type="search" class="search" placeholder="/ name, model, place, group" aria-label="Filter machines" />
      <router-link class="quiet-link" to="/machines/many">Many at once</router-link>
      <v-btn v-if="session.mayWrite()" color="primary" to="/machines/new">New machine</v-btn>
    </header>
    <div class="filters" role="group" aria-label="Which machines">
      <button v-for="w in WANTS" :key="w.key" type="button" class="chip" :aria-pressed="want === w.key" @click="want = want === w.key ? null : w.key">{{ w.words }}</button>
      <button type="button" class="chip" :aria-pressed="retired" @click="retired = !retired">retired</button>
      <button type="button" class="chip last" :aria-pressed="worstFirst" @click="worstFirst = !worstFirst">worst first</button>
    </div>
    <details v-if="changed.length" class="panel changed small">
      <summary><b>{{ plural(changedInAll, 'verdict') }} changed</b> since, though nobody changed the layout: firmware, a statement or a corrected sheet did</summary>
      <ul><li v-for="c in changed" :key="c.id"><router-link class="quiet-link" :to="`/machines/${c.machine_id}/${c.plan_id ? 'fit' : 'survey'}`">{{ c.machine }}</router-link> {{ c.name }}: {{ c.was }} → <b>{{ c.verdict }}</b> <span class="faded">{{ c.because }}, {{ age(c.at) }}</span></li></ul>
      <button v-if="changed.length < changedInAll" type="button" class="quiet-link" @click="tellChanged(changed.at(-1)!.id)">Show {{ Math.min(50, changedInAll - changed.length) }} more of {{ changedInAll }}</button>
    </details>
    <p v-if="wrong && !health.trouble" class="wrong" role="alert">{{ wrong }}</p>
    <div v-if="page" class="panel list">
      <div v-if="!lines.length" class="none">
        <template v-if="text || want || retired">
          No {{ retired ? 'retired ' : '' }}machine {{ want ? `with “${WANTS.find((w) => w.key === want)?.words}”` : '' }}
          {{ text ? `has “${text}” in its name, model, place or duty group` : 'is here' }}.
          <button type="button" class="quiet-link" @click="((text = ''), (want = null), (retired = false))">Show all</button>
        </template>
        <template v-else>
          No machine yet. <router-link class="quiet-link" to="/machines/new">Make one from what it reports</router-link>: the listing
          of its SMBIOS tables, or the tables themselves.
        </template>
      </div>
      <table v-else>
        <thead>
          <tr>
            <th scope="col">board</th>
            <th scope="col">machine</th>
            <th scope="col">now, planned, how high</th>
            <th scope="col">at</th>
            <th scope="col">worst thing known</th>
            <th scope="col">surveyed</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="l in lines" :key="l.id" :class="{ wants: l.summary.worst_severity === 'stop' }">
            <td class="glyph-cell"><BoardGlyph :groups="l.summary.glyph" /></td>
            <td>
              <router-link class="name" :to="`/machines/${l.id}/${l.plan ? 'fit' : 'survey'}`">{{ l.name }}</router-link>
              <div class="faded small">{{ l.sheet_title }}</div>
              <div class="faded small nowrap">{{ [l.site, l.about.place].filter(Boolean).join(' / ') }}</div>
              <div v-if="l.about.duty_group" class="small nowrap group" title="duty group">{{ l.about.duty_group }}</div>
            </td>
            <td class="totals">
              <div>
                <strong>{{ gb(l.summary.installed_gib) }}</strong
                ><template v-if="l.summary.planned_gib !== null && l.summary.planned_gib !== l.summary.installed_gib"> to {{ gb(l.summary.planned_gib) }}</template> GB<template v-if="l.summary.planned_gib === l.summary.installed_gib">, rearranged</template>
              </div>
              <div class="bar" aria-hidden="true">
                <i class="now" :style="{ width: share(l.summary.installed_gib, l) }"></i>
                <i
                  v-if="l.summary.planned_gib !== null && (l.summary.planned_gib ?? 0) > l.summary.installed_gib"
                  class="plan"
                  :style="{ left: share(l.summary.installed_gib, l), width: share((l.summary.planned_gib ?? 0) - l.summary.installed_gib, l) }"
                ></i>
                <i v-if="l.summary.official_gib" class="mark" :style="{ left: share(l.summary.official_gib, l) }"></i>
              </div>
              <div class="faded small">{{ l.summary.official_gib ? `${gb(l.summary.official_gib)} official` : 'nobody states a limit' }}</div>
            </td>
            <td class="at">
              <span class="station">{{ l.station }}</span>
              <div class="small nowrap" :class="l.summary.known < l.summary.total ? 'lacking' : 'faded'">{{ l.summary.known }} of {{ l.summary.total }} known</div>
            </td>
            <td>
              <div v-if="l.summary.failed && l.summary.worst_severity !== 'stop'" class="worst failed">
                <SeverityMark severity="stop" />
                <strong>{{ plural(l.summary.failed, 'module') }} failed</strong>
              </div>
              <div v-if="l.summary.worst_message || !l.summary.failed" class="worst">
                <SeverityMark :severity="(l.summary.worst_severity as 'stop' | null) ?? 'go'" />
                <div>
                  <strong>{{ l.summary.worst_message ?? 'nothing known against it' }}</strong>
                  <div v-if="l.plan" class="faded small">in the plan “{{ l.plan }}”</div>
                </div>
              </div>
            </td>
            <td class="nowrap" :class="isOld(l.surveyed_at) ? 'old' : 'faded'" :title="isOld(l.surveyed_at) ? 'an old survey: look again before buying' : undefined">{{ age(l.surveyed_at) }}</td>
          </tr>
        </tbody>
      </table>
      <footer v-if="lines.length" class="small faded">
        <span>{{ plural(page.total, 'machine') }}{{ lastPage ? `, page ${number + 1} of ${lastPage + 1}` : '' }}</span>
        <template v-if="lastPage">
          <button type="button" class="quiet-link" :disabled="number === 0" @click="number -= 1">Back</button>
          <button type="button" class="quiet-link" :disabled="number >= lastPage" @click="number += 1">On</button>
        </template>
      </footer>
    </div>
  </div>
</template>

<style scoped>
.changed {
  margin: 0 0 10px;
  padding: 8px 14px;
}
.changed ul {
  margin: 6px 0 0;
  padding-left: 20px;
}
.machines {
  padding: 0 16px 16px 12px;
}
header {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 14px;
  padding: 10px 4px 12px 8px;
}
.search {
  margin-left: auto;
  width: min(360px, 100%);
  height: 36px;
  padding: 0 12px;
  background: var(--sheet);
  color: var(--ink);
  border: 1px solid var(--module-edge);
  border-radius: 4px;
}
.search::placeholder {
  color: var(--faded);
}
.list {
  overflow-x: auto;
}
table {
  width: 100%;
  border-collapse: collapse;
}
th {
  font-weight: 400;
  font-size: 13px;
  color: var(--faded);
  text-align: left;
  padding: 10px 12px 6px;
  white-space: nowrap;
}
td {
  padding: 10px 12px;
  border-top: 1px solid var(--rule);
  vertical-align: top;
}
th:first-child,
td:first-child {
  padding-left: 16px;
}
.glyph-cell {
  padding-top: 14px;
  width: 150px;
}
tr:hover td {
  background: var(--lit);
}
.name {
  font-size: 17px;
  font-weight: 650;
  color: var(--ink);
  text-decoration: none;
}
.name:hover {
  color: var(--umber);
  text-decoration: underline;
}
.totals {
  width: 200px;
}
.totals strong {
  font-size: 17px;
}
.bar {
  position: relative;
  height: 7px;
  margin: 4px 0;
  background: var(--lit);
  border-bottom: 1px solid var(--rule);
}
.bar i {
  position: absolute;
  top: 0;
  height: 7px;
}
.bar .now {
  background: var(--module-edge);
}
.bar .plan {
  border: 1.25px solid var(--ink);
  background: var(--sheet);
  box-shadow: 2px 2px 2px var(--shadow);
}
.bar .mark {
  top: -5px;
  height: 17px;
  width: 2px;
  margin-left: -2px;
  background: var(--umber);
}
.worst {
  display: flex;
  gap: 9px;
  align-items: flex-start;
  min-width: 200px;
  max-width: 420px;
}
.worst .mark {
  margin-top: 4px;
}
.worst strong {
  font-weight: 600;
  font-size: 14px;
}
.filters {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
  padding: 0 8px 10px;
}
.chip.last {
  margin-left: auto;
}
.station {
  font-weight: 600;
}
.group {
  display: inline-block;
  margin-top: 2px;
  padding: 0 7px;
  border: 1px solid var(--module-edge);
  border-radius: 3px;
}
.failed {
  color: var(--stop);
  margin-bottom: 4px;
}
.old {
  color: var(--slow);
  font-weight: 600;
}
.lacking {
  color: var(--ask);
  text-decoration: underline dashed 1px;
  text-underline-offset: 3px;
}
.nowrap {
  white-space: nowrap;
}
.none {
  padding: 40px;
  text-align: center;
}
footer {
  display: flex;
  gap: 14px;
  padding: 10px 16px;
  border-top: 1px solid var(--rule);
}
@media (max-width: 700px) {
  thead {
    display: none;
  }
  tr {
    display: grid;
    grid-template-columns: 120px minmax(0, 1fr);
    border-top: 1px solid var(--rule);
    padding: 8px 14px;
    gap: 2px 12px;
  }
  td,
  td:first-child {
    border: 0;
    padding: 2px 0;
    width: auto;
  }
  td:nth-child(n + 3) {
    grid-column: 1 / 3;
  }
  td .nowrap {
    white-space: normal;
  }
  tr:hover td {
    background: none;
  }
}
.wrong {
  color: var(--stop);
  padding: 0 8px;
}
</style>
