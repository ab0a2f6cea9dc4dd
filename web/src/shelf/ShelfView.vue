<script setup lang="ts">
/** The Shelf: modules on hand and offers; a label typed or scanned finds the part. */
import { useRoute } from 'vue-router'
import { onMounted, ref, shallowRef, watch } from 'vue'
import { api, ask, Refusal, wordsOf, type Shelf, type StockLine } from '@/api/client'
import { oneAtATime } from '@/api/turns'
import { session } from '@/frame/session'
import { vLines } from '@/ui/lines'
import SeverityMark from '@/ui/SeverityMark.vue'
import TextAnswer from '@/ui/TextAnswer.vue'
import { plural } from '@/ui/words'
import MoneyForm from './MoneyForm.vue'
import OfferForm from './OfferForm.vue'
import StockForm from './StockForm.vue'
import TableIn from './TableIn.vue'
import { modulePath, partPath } from './parts'
import { freeWords, OLD_PRICE_DAYS, STATE_MARKS, STATES } from './words'
import { useTitle } from '@/ui/title'

useTitle(() => 'Shelf')

const shelf = shallowRef<Shelf>()
const route = useRoute()
const text = ref(typeof route.query.q === 'string' ? route.query.q : '')
watch(
  () => route.query.q,
  (q) => typeof q === 'string' && (text.value = q),
)
const wrong = ref('')
/** What is open below the head: a form, or a table to be taken in. */
const open = ref<'stock' | 'offer' | 'stock-file' | 'offers-file' | 'money' | null>(null)

const load = oneAtATime(async () => {
  try {
    shelf.value = await ask(api.GET('/api/shelf', { params: { query: { q: text.value } } }))
    wrong.value = ''
  } catch (error) {
    wrong.value = wordsOf(error)
  }
})
onMounted(load)
watch(text, () => void load())

async function saved(): Promise<void> {
  open.value = null
  await load()
}
async function change(
  line: StockLine,
  changes: { count?: number; state?: StockLine['state']; place?: string },
): Promise<void> {
  try {
    const body = { version: line.version, ...changes } as never
    await ask(api.PATCH('/api/shelf/stock/{stock_id}', { params: { path: { stock_id: line.id } }, body }))
    await load()
  } catch (error) {
    wrong.value =
      error instanceof Refusal && error.status === 409
        ? 'Somebody changed this line meanwhile; it is shown as it is now.'
        : wordsOf(error)
    await load()
  }
}
function count(line: StockLine, typed: string): void {
  wrong.value = /^\d+$/.test(typed.trim())
    ? ''
    : `How many ${line.part ?? line.words}: "${typed}" is no count; ${line.count} stays.`
  if (!wrong.value) void change(line, { count: Number(typed) })
}
async function withdraw(id: string): Promise<void> {
  await ask(api.DELETE('/api/shelf/offers/{offer_id}', { params: { path: { offer_id: id } } }))
  await load()
}
const toggle = (what: typeof open.value) => (open.value = open.value === what ? null : what)
</script>

<template>
  <div class="page shelf">
    <header>
      <h1>Shelf</h1>
      <input
        v-model="text"
        type="search"
        class="search"
        maxlength="400"
        placeholder="part, label as scanned, place, supplier"
        aria-label="Find on the Shelf" />
      <router-link class="quiet-link" to="/shelf/buy">What to buy</router-link>
      <router-link class="quiet-link" to="/shelf/orders">On order</router-link>
      <router-link class="quiet-link" to="/shelf/parts">Part numbers</router-link>
      <button
        v-if="session.mayWrite()"
        type="button"
        class="quiet-link"
        :aria-expanded="open === 'money'"
        @click="toggle('money')">
        Money
      </button>
    </header>
    <p v-if="shelf?.understood" class="small understood" role="status">Read as {{ shelf.understood }}.</p>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <MoneyForm v-if="open === 'money'" @saved="saved" @leave="open = null" />

    <section v-if="shelf" class="panel" aria-labelledby="on-hand">
      <div class="caption">
        <h2 id="on-hand">
          On hand
          <span class="faded">{{
            plural(
              shelf.stock.reduce((n, s) => n + s.count, 0),
              'module',
            )
          }}</span>
        </h2>
        <span class="tools">
          <a class="quiet-link" href="/api/shelf/file?kind=stock" download>As a file</a>
          <template v-if="session.mayWrite()">
            <button
              type="button"
              class="quiet-link"
              :aria-expanded="open === 'stock-file'"
              @click="toggle('stock-file')">
              From a file
            </button>
            <button type="button" class="press slim" @click="toggle('stock')">Put on the Shelf</button>
          </template>
        </span>
      </div>
      <StockForm v-if="open === 'stock'" @saved="saved" @leave="open = null" />
      <TableIn v-if="open === 'stock-file'" kind="stock" @saved="saved" @leave="open = null" />
      <p v-if="!shelf.stock.length" class="faded none">
        {{
          text
            ? 'Nothing on hand is that.'
            : 'Nothing on hand. Type or scan the label of what lies in the cupboard: routes then use it before anything is bought.'
        }}
      </p>
      <div v-else class="scroll">
        <table v-lines>
          <thead>
            <tr>
              <th scope="col">state</th>
              <th scope="col">module</th>
              <th scope="col">part</th>
              <th scope="col" class="number">count</th>
              <th scope="col">reserved</th>
              <th scope="col">where</th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="s in shelf.stock" :key="s.id">
              <td>
                <span class="state"
                  ><SeverityMark :severity="STATE_MARKS[s.state]!" />
                  <select
                    v-if="session.mayWrite()"
                    :value="s.state"
                    :aria-label="`State of ${s.part ?? s.words}`"
                    @change="change(s, { state: ($event.target as HTMLSelectElement).value as never })">
                    <option v-for="(words, key) in STATES" :key="key" :value="key">{{ words }}</option>
                  </select>
                  <template v-else>{{ STATES[s.state] }}</template></span
                >
              </td>
              <th scope="row">
                {{ s.words
                }}<span v-for="u in s.unlike_tried" :key="u" class="small under unlike"
                  >{{ u }} in what was tried under this part: those trials do not speak for it</span
                ><router-link
                  v-if="s.module.serial"
                  class="quiet-link mono small under"
                  :to="modulePath(s.module.serial)"
                  >{{ s.module.serial }}</router-link
                ><span v-if="s.note" class="small faded under">{{ s.note }}</span
                ><span v-if="s.reference || s.due_on" class="small under">{{
                  [s.reference, s.due_on ? `to be answered by ${s.due_on}` : ''].filter(Boolean).join(', ')
                }}</span>
              </th>
              <td class="mono">
                <router-link v-if="s.part" class="quiet-link" :to="partPath(s.part)">{{ s.part }}</router-link><span
                  v-if="s.listed_by.length"
                  class="small under listed"
                  >listed for {{ s.listed_by.join(', ') }}</span
                >
              </td>
              <td class="number">
                <TextAnswer
                  v-if="session.mayWrite()"
                  class="count"
                  :value="String(s.count)"
                  inputmode="numeric"
                  :most="9"
                  :label="`How many ${s.part ?? s.words}`"
                  @said="count(s, $event)" /><template v-else>{{ s.count }}</template>
              </td>
              <td>
                {{ freeWords(s) }}
                <span v-for="r in s.reserved" :key="r.plan_id" class="small under"
                  ><router-link class="quiet-link" :to="`/machines/${r.machine_id}/fit`">{{ r.machine }}</router-link
                  >, {{ r.plan }}: {{ r.count }}</span
                >
              </td>
              <td>
                {{ s.place }}
                <a
                  class="quiet-link small under"
                  :href="`/api/shelf/labels?stock=${s.id}`"
                  target="_blank"
                  rel="noopener"
                  :aria-label="
                    s.count > 1 ? `Labels for ${s.count} of ${s.part ?? s.words}` : `Label for ${s.part ?? s.words}`
                  "
                  >{{ s.count > 1 ? 'Labels' : 'Label' }}</a
                >
              </td>
            </tr>
          </tbody>
        </table>
      </div>
    </section>

    <section v-if="shelf" class="panel" aria-labelledby="on-offer">
      <div class="caption">
        <h2 id="on-offer">
          Offers <span class="faded">{{ plural(shelf.offers.length, 'price') }} in {{ shelf.currency }}</span>
        </h2>
        <span class="tools">
          <a class="quiet-link" href="/api/shelf/file?kind=offers" download>As a file</a>
          <template v-if="session.mayWrite()">
            <button
              type="button"
              class="quiet-link"
              :aria-expanded="open === 'offers-file'"
              @click="toggle('offers-file')">
              From a file
            </button>
            <button type="button" class="press slim" @click="toggle('offer')">Add an offer</button>
          </template>
        </span>
      </div>
      <OfferForm v-if="open === 'offer'" :currency="shelf.currency" @saved="saved" @leave="open = null" />
      <TableIn v-if="open === 'offers-file'" kind="offers" @saved="saved" @leave="open = null" />
      <p v-if="!shelf.offers.length" class="faded none">
        {{
          text
            ? 'No offer is that.'
            : 'No offer yet. With prices, Routes says what each way costs: add one, or take a supplier’s list from a file.'
        }}
      </p>
      <div v-else class="scroll">
        <table v-lines>
          <thead>
            <tr>
              <th scope="col">module</th>
              <th scope="col">part</th>
              <th scope="col" class="number">a GB</th>
              <th scope="col" class="number">price</th>
              <th scope="col">kit</th>
              <th scope="col">supplier</th>
              <th scope="col" class="number">there in</th>
              <th scope="col">priced</th>
              <th scope="col"><span class="visually-hidden">take away</span></th>
            </tr>
          </thead>
          <tbody>
            <tr v-for="o in shelf.offers" :key="o.id">
              <th scope="row">{{ o.words }}</th>
              <td class="mono">
                <router-link class="quiet-link" :to="partPath(o.part)">{{ o.part }}</router-link><span
                  v-if="o.listed_by.length || o.listed"
                  class="small under listed"
                  >{{ o.listed_by.length ? `listed for ${o.listed_by.join(', ')}` : 'listed by the maker' }}</span
                >
              </td>
              <td class="number">
                <b>{{ o.per_gb === null ? '' : Number(o.per_gb).toFixed(2) }}</b>
              </td>
              <td class="number">{{ Number(o.price).toFixed(2) }}</td>
              <td>
                {{ o.kit > 1 ? `of ${o.kit}` : 'single'
                }}<span v-if="o.stock !== null" class="small faded under">{{ o.stock }} to be had</span>
              </td>
              <td>{{ o.supplier }}</td>
              <td class="number">{{ o.lead_days === null ? '' : `${o.lead_days} d` }}</td>
              <td :class="{ old: o.age_days > OLD_PRICE_DAYS }">{{ o.age_days ? `${o.age_days} d ago` : 'today' }}</td>
              <td class="number">
                <button
                  v-if="session.mayWrite()"
                  type="button"
                  class="quiet-link"
                  :aria-label="`Remove the offer of ${o.part} by ${o.supplier}`"
                  @click="withdraw(o.id)">
                  Remove
                </button>
              </td>
            </tr>
          </tbody>
        </table>
      </div>
    </section>
  </div>
</template>

<style scoped>
.shelf {
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
  width: min(360px, 100%);
  padding: 0 12px;
  border: 1px solid var(--module-edge);
  border-radius: 4px;
  background: var(--sheet);
  color: var(--ink);
}
.understood {
  margin: 0 8px;
}
.caption {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: center;
  gap: 4px 16px;
  padding: 10px 18px 6px;
}
.caption h2 .faded {
  font-weight: 400;
  margin-left: 6px;
}
.tools {
  display: flex;
  gap: 16px;
  align-items: center;
}
.none {
  padding: 12px 18px 18px;
}
.scroll {
  position: relative;
  overflow-x: auto;
  padding: 0 18px 8px;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 14px;
}
th,
td {
  text-align: left;
  vertical-align: top;
  padding: 5px 16px 5px 0;
  font-weight: 400;
}
tbody th {
  font-weight: 650;
}
thead th {
  font-size: 13px;
  color: var(--faded);
}
tbody tr {
  border-top: 1px solid var(--rule);
}
.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
  white-space: nowrap;
}
.under {
  display: block;
  font-weight: 400;
}
.listed {
  font-family: 'Atkinson Hyperlegible Next Variable', system-ui, sans-serif;
  color: var(--go);
}
.old,
.unlike {
  color: var(--slow);
}
.state {
  display: inline-flex;
  gap: 6px;
  align-items: center;
}
.state select,
.count {
  border: 1px solid transparent;
  border-radius: 3px;
  background: transparent;
  color: var(--ink);
  font: inherit;
}
.state select:hover,
.count:hover {
  border-color: var(--rule);
}
.count {
  width: 64px;
  text-align: right;
}
</style>
