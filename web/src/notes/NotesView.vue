<script setup lang="ts">
/** Field notes: what was tried where, how it went, and what each did to the belief. */
import { computed, onMounted, ref, shallowRef, watch } from 'vue'
import { api, ask, Refusal, wordsOf, type Module, type SheetRow, type SheetView, type Trial } from '@/api/client'
import { oneAtATime } from '@/api/turns'
import { session } from '@/frame/session'
import { vLines } from '@/ui/lines'
import { KIND_WORDS } from '@/stations/ceiling/words'
import { surely } from '@/ui/belief'
import FieldFault from '@/ui/FieldFault.vue'
import { FieldFault as Fault, numbersIn, useForm } from '@/ui/form'
import { partPath } from '@/shelf/parts'
import { plural } from '@/ui/words'
import ExhibitLinks from './ExhibitLinks.vue'
import CalibrationTable from './CalibrationTable.vue'
import NumbersTable from './NumbersTable.vue'
import { OUTCOMES, outcomeShape } from './words'
import { useTitle } from '@/ui/title'

useTitle(() => 'Field notes')

const trials = shallowRef<Trial[]>([])
const sheets = shallowRef<SheetRow[]>([])
const sheet = shallowRef<SheetView>()
const text = ref('')
const wrong = ref('')
const rows = ref<string[]>([])
const adding = ref(false)
const told = ref('')
const starting = ref(false)
const calibrating = ref(false)
const today = new Date().toISOString().slice(0, 10)
const blank = {
  model: '',
  processor: '',
  label: '',
  revision: '',
  total: '',
  outcome: 'fine',
  who: 'own-proof',
  date: today,
  soak: '',
  source: '',
  firmware: '',
  note: '',
}
const {
  values: form,
  faults,
  wrong: notNoted,
  sending,
  submit: note,
  clear,
} = useForm(
  blank,
  async (f) => {
    const said = numbersIn({ total: f.total, soak: f.soak })
    let module: Module | null = null
    if (f.label.trim()) module = (await ask(api.POST('/api/label', { body: { text: f.label } }))).module
    const model = sheets.value.find((s) => s.hash === f.model)
    if (!model) throw new Fault({ field: 'model', message: 'Choose the model that it was tried on.' })
    const body = {
      sheet_id: model.sheet_id,
      outcome: f.outcome as Trial['outcome'],
      who: f.who as Trial['who'],
      tried_on: f.date,
      processor: f.processor || null,
      part: module?.part ?? (module?.capacity_gib ? null : f.label.trim() || null),
      revision: f.revision.trim() || null,
      module: (module?.capacity_gib ? module : null) as never,
      total_gib: said.total,
      soak_days: said.soak ?? 0,
      note: f.note,
      source: f.source,
      firmware: f.firmware.trim() || null,
    }
    trials.value = await ask(api.POST('/api/trials', { body }))
    clear()
    adding.value = false
  },
  { total_gib: 'total', soak_days: 'soak', tried_on: 'date', module: 'label', part: 'label', sheet_id: 'model' },
)

const load = oneAtATime(async () => {
  try {
    trials.value = await ask(api.GET('/api/trials', { params: { query: { q: text.value } } }))
    wrong.value = ''
  } catch (error) {
    wrong.value = wordsOf(error)
  }
})
onMounted(async () => {
  await load()
  sheets.value = await ask(api.GET('/api/sheets'))
})
watch(text, () => void load())
watch(
  () => form.model,
  async (hash) => {
    form.processor = ''
    sheet.value = hash ? await ask(api.GET('/api/sheets/{hash_}', { params: { path: { hash_: hash } } })) : undefined
  },
)
const processors = computed(
  () => new Map(sheet.value?.sockets.flatMap((s) => s.processors).map((p) => [p.id, p.title])),
)
async function withdraw(id: string): Promise<void> {
  trials.value = await ask(api.DELETE('/api/trials/{trial_id}', { params: { path: { trial_id: id } } }))
}
async function take(event: Event): Promise<void> {
  const field = event.target as HTMLInputElement
  const file = field.files?.[0]
  if (!file) return
  wrong.value = told.value = ''
  rows.value = []
  const body = new FormData()
  body.append('file', file)
  body.append('keep', 'true')
  try {
    const found = await ask(
      api.POST('/api/trials/file', { body: body as never, bodySerializer: (b: unknown) => b as FormData }),
    )
    rows.value = found.errors.map((e) => `row ${e.row}, ${e.column}: ${e.message}`)
    told.value = found.kept
      ? `${plural(found.good, 'trial')} noted from ${file.name}.`
      : `Nothing was noted from ${file.name}: put the rows below right, then give it again.`
    await load()
  } catch (error) {
    rows.value =
      error instanceof Refusal && error.problem.errors?.length
        ? error.problem.errors.map((e) => e.message)
        : [wordsOf(error)]
  } finally {
    field.value = ''
  }
}
</script>

<template>
  <div class="page notes">
    <header>
      <h1>Field notes</h1>
      <span class="faded">{{ plural(trials.length, 'trial') }}</span>
      <input
        v-model="text"
        type="search"
        class="search"
        placeholder="model, processor, part, note"
        aria-label="Filter trials" />
      <button type="button" class="quiet-link" :aria-expanded="starting" @click="starting = !starting">
        What doubts start from
      </button>
      <button type="button" class="quiet-link" :aria-expanded="calibrating" @click="calibrating = !calibrating">
        How well it predicted
      </button>
      <a class="quiet-link" href="/api/trials/file" download>As a file</a>
      <label v-if="session.mayWrite()" class="quiet-link file"
        >From a file<input type="file" accept=".csv,.tsv,.xlsx" class="visually-hidden" @change="take"
      /></label>
      <button type="button" class="press" v-if="session.mayWrite()" @click="adding = !adding">Note a trial</button>
    </header>
    <p v-if="told" role="status">{{ told }}</p>
    <ul v-if="rows.length" class="wrong" role="alert">
      <li v-for="f in rows" :key="f">{{ f }}</li>
    </ul>
    <CalibrationTable v-if="calibrating" />
    <NumbersTable v-if="starting" @saved="load" />
    <form v-if="adding" class="panel fields grid add" aria-label="Note a trial" @submit.prevent="note">
      <label>
        Model
        <select v-model="form.model" required>
          <option value="" disabled>which it was tried on</option>
          <option v-for="s in sheets.filter((x) => !x.archetype)" :key="s.hash" :value="s.hash">{{ s.title }}</option>
        </select>
      </label>
      <label>
        Processor
        <select v-model="form.processor">
          <option value="">not known</option>
          <option v-for="[id, title] in processors" :key="id" :value="id">{{ title }}</option>
        </select>
      </label>
      <label class="wide"
        >Module, by its label or part
        <input v-model="form.label" class="mono" maxlength="400" placeholder="32GB 2Rx8 PC5-4800B-SB0" /><FieldFault
          :of="faults"
          name="label"
      /></label>
      <label
        >Total then [GB] <input v-model="form.total" inputmode="decimal" placeholder="40" /><FieldFault
          :of="faults"
          name="total"
      /></label>
      <label>
        It was
        <select v-model="form.outcome">
          <option v-for="(words, key) in OUTCOMES" :key="key" :value="key">{{ words }}</option>
        </select>
      </label>
      <label>
        Who says so
        <select v-model="form.who">
          <option v-for="(words, key) in KIND_WORDS" :key="key" :value="key">{{ words }}</option>
        </select>
      </label>
      <label
        >On <input v-model="form.date" type="date" required :max="today" /><FieldFault :of="faults" name="date"
      /></label>
      <label
        >Ran for [days] <input v-model="form.soak" inputmode="decimal" placeholder="0" /><FieldFault
          :of="faults"
          name="soak"
      /></label>
      <label
        >With firmware <input v-model="form.firmware" maxlength="200" placeholder="not known" /><FieldFault
          :of="faults"
          name="firmware"
      /></label>
      <label class="wide"
        >Where it is told
        <input v-model="form.source" maxlength="2000" placeholder="a thread, a document, a machine’s name" /><FieldFault
          :of="faults"
          name="source"
      /></label>
      <label class="wide">Note <input v-model="form.note" maxlength="2000" /></label>
      <p v-if="notNoted" class="wrong wide" role="alert">{{ notNoted }}</p>
      <div class="choices">
        <button type="button" class="quiet-link" @click="adding = false">Cancel</button>
        <button class="press" type="submit" :disabled="sending || !form.model">Note it</button>
      </div>
    </form>
    <p v-else-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <div class="panel list">
      <p v-if="!trials.length" class="faded none">
        {{
          text
            ? 'No trial has that.'
            : 'No trial yet. What you or others tried, fine or not, is what a risk is judged by: note one, or take a file.'
        }}
      </p>
      <table v-lines v-else>
        <thead>
          <tr>
            <th scope="col">outcome</th>
            <th scope="col">what was tried</th>
            <th scope="col">on</th>
            <th scope="col">who, when</th>
            <th scope="col">what it did to the belief</th>
            <th scope="col"><span class="visually-hidden">take back</span></th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="t in trials" :key="t.id">
            <td class="outcome" :class="t.outcome">
              <svg width="12" height="12" viewBox="0 0 12 12" aria-hidden="true">
                <path :d="outcomeShape(t.outcome)" /></svg
              >{{ OUTCOMES[t.outcome] }}
            </td>
            <th scope="row">
              {{ t.module || (t.total_gib ? `${t.total_gib} GB in all` : '') }}
              <span class="mono faded part"
                ><router-link v-if="t.part" class="quiet-link" :to="partPath(t.part)">{{ t.part }}</router-link
                >{{ t.revision ? ` rev. ${t.revision}` : '' }}</span
              >
              <span v-if="t.note" class="small faded part">{{ t.note }}</span>
              <ExhibitLinks
                class="part"
                :exhibits="t.exhibits"
                :of="{ trial_id: t.id }"
                :what="`the trial of ${t.part ?? t.module}`"
                @changed="load" />
            </th>
            <td>
              {{ t.model
              }}<span class="faded small part">{{
                [t.processor, t.module && t.total_gib ? `${t.total_gib} GB in all` : ''].filter(Boolean).join(', ')
              }}</span>
            </td>
            <td>
              {{ KIND_WORDS[t.who] }}, <span class="day">{{ t.tried_on }}</span><span class="faded small part">{{
                [t.soak_days ? `ran ${t.soak_days} d` : '', t.firmware && `firmware ${t.firmware}`, t.source]
                  .filter(Boolean)
                  .join('; ')
              }}</span>
            </td>
            <td class="belief">
              <template v-for="(m, i) in t.moved" :key="m.words">
                <span v-if="!i" class="bar" aria-hidden="true"
                  ><i :style="{ width: `${100 * m.before}%` }" class="before"></i
                  ><i :style="{ width: `${100 * m.after}%` }" class="after"></i
                ></span>
                <span
                  class="small part"
                  :title="m.weight ? `it weighs ${m.weight.toFixed(2)}` : 'its source told as much before'"
                  >{{ m.words }}: {{ surely(m.before) }} → <b>{{ surely(m.after) }}</b><span
                    v-if="!m.weight"
                    class="faded"
                    >; its source told as much before</span
                  ></span
                >
              </template>
            </td>
            <td>
              <button
                v-if="session.mayWrite()"
                type="button"
                class="quiet-link"
                :aria-label="`Take back the trial of ${t.part ?? t.module}`"
                @click="withdraw(t.id)">
                Take back
              </button>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </div>
</template>

<style scoped>
.notes {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
}
header {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 16px;
  padding: 12px 8px 0;
}
.search {
  margin-left: auto;
  height: 36px;
  width: 260px;
  padding: 0 12px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
}
.file {
  cursor: pointer;
}
.file:focus-within {
  outline: 2px solid var(--umber);
}
.add {
  padding: 14px 18px;
}
.list {
  position: relative;
  overflow-x: auto;
}
.none {
  padding: 24px;
  text-align: center;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 14px;
}
thead th {
  font-weight: 400;
  font-size: 13px;
  color: var(--faded);
}
th,
td {
  text-align: left;
  vertical-align: top;
  padding: 8px 16px;
}
tbody tr {
  border-top: 1px solid var(--rule);
}
.part {
  display: block;
  font-weight: 400;
}
.outcome {
  white-space: nowrap;
}
.outcome svg {
  margin-right: 8px;
  fill: currentColor;
}
.outcome.fine {
  color: var(--go);
}
.outcome.quirks {
  color: var(--slow);
}
.outcome.not-seen {
  color: var(--stop);
}
.outcome.unstable {
  color: var(--risk);
}
.day,
td:last-child {
  white-space: nowrap;
}
.belief {
  font-variant-numeric: tabular-nums;
}
.bar {
  display: block;
  position: relative;
  width: 160px;
  height: 8px;
  margin-bottom: 4px;
  background: var(--rule);
}
.bar i {
  position: absolute;
  inset: 0 auto 0 0;
}
.after {
  background: var(--go);
  opacity: 0.55;
}
.before {
  border-right: 2px solid var(--ink);
  z-index: 1;
}
p {
  margin: 0;
}
</style>
