<script setup lang="ts">
/** The Shelf beside what to buy: what is on hand, what is on its way, what goes back; each leads to where it is changed. */
import { computed, onMounted, shallowRef } from 'vue'
import { api, ask, wordsOf, type Order, type Shelf } from '@/api/client'
import SeverityMark from '@/ui/SeverityMark.vue'
import { plural } from '@/ui/words'
import { standing } from './buying'
import { kindsOnHand } from './onhand'
import { STATE_MARKS, STATES } from './words'

/** Part number -> how many of it the lines beside take from the Shelf. */
const props = defineProps<{ used: ReadonlyMap<string, number> }>()
const shelf = shallowRef<Shelf>()
const orders = shallowRef<Order[]>([])
const wrong = shallowRef('')
onMounted(async () => {
  try {
    ;[shelf.value, orders.value] = await Promise.all([
      ask(api.GET('/api/shelf', { params: { query: {} } })),
      ask(api.GET('/api/buying/orders', { params: { query: { closed: false } } })),
    ])
  } catch (error) {
    wrong.value = wordsOf(error)
  }
})
const here = computed(() => kindsOnHand(shelf.value?.stock ?? [], props.used))
const leaving = computed(() => shelf.value?.stock.filter((s) => s.state === 'to-return') ?? [])
const modules = computed(() => here.value.reduce((n, k) => n + k.count, 0))
const forWhom = (o: Order) => [...new Set(o.lines.map((l) => l.words))].join('; ')
</script>

<template>
  <aside class="now small" aria-label="On the Shelf now">
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <template v-if="shelf">
      <h2>
        On hand <span class="faded">{{ plural(modules, 'module') }}</span>
      </h2>
      <p v-if="!here.length" class="faded">
        Nothing. <router-link class="quiet-link" to="/shelf">Put on</router-link> what lies in the cupboard: it is used
        before anything is bought.
      </p>
      <ul v-else>
        <li v-for="k in here" :key="k.key" :class="{ unfit: !k.usable }">
          <SeverityMark :severity="STATE_MARKS[k.state]!" />
          <router-link class="quiet-link" :to="{ path: '/shelf', query: { q: k.part || k.words } }"
            ><span
              ><b>{{ k.count }}</b> × {{ k.words }}</span
            ></router-link
          >
          <span class="faded">{{ k.usable ? k.free : STATES[k.state] }}</span>
        </li>
      </ul>
      <h2>
        On order <span class="faded">{{ orders.length ? plural(orders.length, 'order') : 'nothing' }}</span>
      </h2>
      <ul v-if="orders.length">
        <li v-for="o in orders" :key="o.id">
          <SeverityMark :severity="o.days_late ? 'stop' : o.pending ? 'note' : 'go'" />
          <router-link class="quiet-link" to="/shelf/orders"
            >{{ o.supplier }}<template v-if="o.reference"> {{ o.reference }}</template></router-link
          >
          <span :class="o.days_late ? 'late' : 'faded'">{{ standing(o) }}</span>
          <span class="faded of">{{ forWhom(o) }}</span>
        </li>
      </ul>
      <template v-if="leaving.length">
        <h2>
          Going back
          <span class="faded">{{
            plural(
              leaving.reduce((n, s) => n + s.count, 0),
              'module',
            )
          }}</span>
        </h2>
        <ul>
          <li v-for="s in leaving" :key="s.id">
            <SeverityMark severity="stop" />
            <router-link class="quiet-link" :to="{ path: '/shelf', query: { q: s.part || s.words } }">{{
              s.reference || s.words
            }}</router-link>
            <span class="faded">{{ s.due_on ? `by ${s.due_on}` : 'no day told' }}</span>
          </li>
        </ul>
      </template>
    </template>
  </aside>
</template>

<style scoped>
.now {
  padding: 10px 14px 14px 16px;
}
h2 {
  margin: 0 0 4px;
  font-size: 15px;
}
ul + h2,
p + h2,
h2 + h2 {
  margin-top: 18px;
}
h2 span {
  font-weight: 400;
  font-size: 13px;
}
p {
  margin: 0 0 10px;
}
ul {
  list-style: none;
  margin: 0;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 16px minmax(0, 1fr) auto;
  gap: 0 6px;
  align-items: baseline;
  border-top: 1px solid var(--rule);
  padding: 4px 0;
}
.of {
  grid-column: 2 / -1;
}
.late {
  color: var(--stop);
}
li > a {
  color: var(--ink);
}
.unfit > a {
  color: var(--faded);
}
</style>
