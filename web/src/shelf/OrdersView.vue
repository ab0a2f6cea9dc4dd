<script setup lang="ts">
/** What was ordered: what is still to come, and every module that came read in and laid against what was ordered. */
import { onMounted, reactive, ref, shallowRef } from 'vue'
import { api, ask, Refusal, wordsOf, type Module, type Order } from '@/api/client'
import { session } from '@/frame/session'
import CodeCamera from '@/ui/CodeCamera.vue'
import SeverityMark from '@/ui/SeverityMark.vue'
import { useTitle } from '@/ui/title'
import { plural } from '@/ui/words'
import { became, CAME, standing } from './buying'
import { modulePath, partPath } from './parts'

useTitle(() => 'On order')
const orders = shallowRef<Order[]>()
const wrong = ref('')
const closed = ref(false)
/** What is typed or scanned for each order, and what was wrong with it. */
const said = reactive<Record<string, { label: string; serial: string; place: string; wrong: string }>>({})
const fields: Record<string, HTMLInputElement | null> = {}
const references = reactive<Record<string, string>>({})
const of = (id: string) => (said[id] ??= { label: '', serial: '', place: '', wrong: '' })

async function load(): Promise<void> {
  try {
    orders.value = await ask(api.GET('/api/buying/orders', { params: { query: { closed: closed.value } } }))
    wrong.value = ''
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
onMounted(load)
function show(changed: Order): void {
  orders.value = orders.value!.map((o) => (o.id === changed.id ? changed : o))
}
const fault = (error: unknown) =>
  error instanceof Refusal && error.problem.errors?.length
    ? error.problem.errors.map((e) => e.message).join('; ')
    : wordsOf(error)
async function read(order: Order, spd?: Module): Promise<void> {
  const f = of(order.id)
  try {
    const body = { label: f.label, serial: f.serial, place: f.place, spd: spd as never }
    show(
      await ask(api.POST('/api/buying/orders/{order_id}/arrivals', { params: { path: { order_id: order.id } }, body })),
    )
    Object.assign(f, { label: '', serial: '', wrong: '' })
    fields[order.id]?.focus() // a scanner types the next one at once
  } catch (error) {
    f.wrong = fault(error)
  }
}
/** A module that came, by its own words: what a programmer or a machine read out of it. */
async function readSpd(order: Order, event: Event): Promise<void> {
  const field = event.target as HTMLInputElement
  const file = field.files?.[0]
  if (!file) return
  const data = new FormData()
  data.append('file', file)
  try {
    const spd = await ask(api.POST('/api/spd', { body: data as never, bodySerializer: (b) => b as never }))
    if (spd.crc_ok) await read(order, spd.module)
    else of(order.id).wrong = `The checksums of ${file.name} are wrong: read its label instead.`
  } catch (error) {
    of(order.id).wrong = fault(error)
  }
  field.value = ''
}
async function decide(order: Order, arrival: string, keep: boolean): Promise<void> {
  const f = of(order.id)
  try {
    const params = { path: { order_id: order.id, arrival_id: arrival } }
    show(
      await ask(
        api.POST('/api/buying/orders/{order_id}/arrivals/{arrival_id}', {
          params,
          body: { keep, reference: references[arrival] ?? '', place: f.place },
        }),
      ),
    )
    f.wrong = ''
  } catch (error) {
    f.wrong = fault(error)
  }
}
async function close(order: Order): Promise<void> {
  try {
    await ask(api.DELETE('/api/buying/orders/{order_id}', { params: { path: { order_id: order.id } } }))
    await load()
  } catch (error) {
    wrong.value = wordsOf(error)
  }
}
function showClosed(on: boolean): void {
  closed.value = on
  void load()
}
</script>

<template>
  <div class="page orders">
    <header>
      <h1>On order</h1>
      <router-link class="quiet-link" to="/shelf">Shelf</router-link>
      <router-link class="quiet-link" to="/shelf/buy">What to buy</router-link>
      <label class="small"
        ><input type="checkbox" :checked="closed" @change="showClosed(($event.target as HTMLInputElement).checked)" />
        those that are done too</label
      >
    </header>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <p v-if="orders && !orders.length" class="panel faded none">
      Nothing is on order. What is bought for plans is said in What to buy, once it is ordered.
    </p>
    <section v-for="o in orders" :key="o.id" class="panel order" :aria-label="`Order ${o.reference || o.supplier}`">
      <div class="caption">
        <h2>
          {{ o.supplier }} <span class="mono">{{ o.reference }}</span>
        </h2>
        <span class="small faded"
          >ordered {{ o.ordered_on }} by {{ o.by }}, {{ Number(o.cost).toFixed(2) }} {{ o.currency }}</span
        >
      </div>
      <p class="stands">
        <SeverityMark :severity="!o.pending ? 'go' : o.days_late ? 'stop' : 'note'" /> <b>{{ standing(o) }}</b>
        <button v-if="session.mayWrite() && !o.closed" type="button" class="quiet-link" @click="close(o)">
          {{ o.pending ? 'Wait for it no longer' : 'Done' }}
        </button>
      </p>
      <p v-for="l in o.lines" :key="l.id" class="line">
        <b>{{ l.modules }}</b> × {{ l.words }},
        <router-link class="quiet-link mono" :to="partPath(l.part)">{{ l.part }}</router-link>{{ ' ' }}
        <span class="faded small"
          >{{ l.kit > 1 ? `${plural(l.kits, 'kit')} of ${l.kit}, ` : ''
          }}{{ l.pending ? `${l.pending} to come` : 'all here' }}</span
        >
      </p>
      <form
        v-if="session.mayWrite() && !o.closed && o.pending"
        class="fields read"
        :aria-label="`Read in of ${o.reference || o.supplier}`"
        @submit.prevent="read(o)">
        <label
          >Label, part number or code
          <input
            :ref="(e) => (fields[o.id] = e as HTMLInputElement | null)"
            v-model="of(o.id).label"
            class="mono"
            maxlength="400"
            placeholder="scan or type a label"
        /></label>
        <label>or its SPD <input type="file" @change="readSpd(o, $event)" /></label>
        <CodeCamera @read="((of(o.id).label = $event), read(o))" />
        <label>Serial <input v-model="of(o.id).serial" class="mono" maxlength="120" /></label>
        <label>Put where <input v-model="of(o.id).place" maxlength="200" /></label>
        <button class="press slim" type="submit" :disabled="!of(o.id).label.trim()">It came</button>
      </form>
      <p v-if="of(o.id).wrong" class="wrong small" role="alert">{{ of(o.id).wrong }}</p>
      <ul v-if="o.lines.some((l) => l.arrivals.length)">
        <li v-for="a in o.lines.flatMap((l) => l.arrivals)" :key="a.id">
          <SeverityMark :severity="CAME[a.came].severity" />
          <span
            ><b>{{ CAME[a.came].words }}</b
            >{{ ' ' }} <span class="mono">{{ [a.words, a.part].filter(Boolean).join(', ') }}</span><template
              v-if="a.serial"
              >, <router-link class="quiet-link mono" :to="modulePath(a.serial)">{{ a.serial }}</router-link></template
            >
            <span v-if="a.differs.length" class="small under">{{ a.differs.join('; ') }}</span>
            <span v-if="a.unread.length" class="small faded under">not read: {{ a.unread.join(', ') }}</span></span
          >
          <span v-if="a.kept || a.reference || !session.mayWrite()" class="small faded">{{ became(a) }}</span>
          <span v-else class="fields decide">
            <button type="button" class="quiet-link" @click="decide(o, a.id, true)">Keep it</button>
            <label class="small">back under <input v-model="references[a.id]" class="mono" maxlength="200" /></label>
            <button
              type="button"
              class="quiet-link"
              :disabled="!references[a.id]?.trim()"
              @click="decide(o, a.id, false)">
              Send it back
            </button>
          </span>
        </li>
      </ul>
    </section>
  </div>
</template>

<style scoped>
header {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 18px;
  align-items: baseline;
}
p {
  margin: 0;
}
.order,
.none {
  padding: 10px 16px 14px;
}
.order {
  display: grid;
  gap: 6px;
}
.caption {
  display: flex;
  flex-wrap: wrap;
  justify-content: space-between;
  align-items: baseline;
  gap: 4px 12px;
}
.stands {
  display: flex;
  gap: 8px;
  align-items: center;
}
.read {
  display: grid;
  grid-template-columns: minmax(0, 2fr) minmax(0, 1fr) minmax(0, 1fr) auto;
  gap: 8px 12px;
  align-items: end;
}
.read label {
  display: grid;
  gap: 2px;
  font-size: 13px;
}
ul {
  list-style: none;
  margin: 4px 0 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 20px minmax(0, 1fr) auto;
  gap: 8px;
  align-items: start;
  border-top: 1px solid var(--rule);
  padding: 6px 0;
}
.under {
  display: block;
}
.decide {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 12px;
  align-items: baseline;
}
.decide input {
  width: 110px;
}
@media (max-width: 900px) {
  .read {
    grid-template-columns: minmax(0, 1fr);
  }
  li {
    grid-template-columns: 20px minmax(0, 1fr);
  }
  .decide {
    grid-column: 2;
  }
}
</style>
