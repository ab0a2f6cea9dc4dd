<script setup lang="ts">
/** Every part number that was met: in machines, on the Shelf, on offer, in trials; those whose sightings differ stand out. */
import { onMounted, ref, shallowRef, watch } from 'vue'
import { api, ask, wordsOf, type PartLine } from '@/api/client'
import { oneAtATime } from '@/api/turns'
import SeverityMark from '@/ui/SeverityMark.vue'
import { vLines } from '@/ui/lines'
import { useTitle } from '@/ui/title'
import { plural } from '@/ui/words'
import { partPath } from './parts'

useTitle(() => 'Part numbers')
const text = ref('')
const parts = shallowRef<PartLine[]>()
const wrong = ref('')
/** As many as the server gives at once. */
const MOST = 200
const load = oneAtATime(async () => {
  try {
    parts.value = await ask(api.GET('/api/parts', { params: { query: { q: text.value } } }))
    wrong.value = ''
  } catch (error) {
    wrong.value = wordsOf(error)
  }
})
onMounted(load)
watch(text, load)
const metWords = (p: PartLine): string =>
  [
    p.fitted && `${p.fitted} in machines`,
    p.on_hand && `${p.on_hand} on the Shelf`,
    p.offers && plural(p.offers, 'offer'),
    p.trials && plural(p.trials, 'trial'),
    p.listed && plural(p.listed, 'list'),
  ]
    .filter(Boolean)
    .join(', ')
</script>

<template>
  <div class="page parts">
    <header>
      <h1>Part numbers</h1>
      <router-link class="quiet-link" to="/shelf">Shelf</router-link>
      <input
        v-model="text"
        type="search"
        class="search"
        maxlength="120"
        placeholder="a number, or a piece of one"
        aria-label="Find a part number" />
    </header>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <div v-if="parts" class="panel list">
      <p v-if="!parts.length" class="faded none">
        {{
          text
            ? 'Nobody here has met such a number.'
            : 'No part number was met yet: reports of machines, labels, offers and trials bring them.'
        }}
      </p>
      <table v-lines v-else>
        <thead>
          <tr>
            <th scope="col">number</th>
            <th scope="col">what all agree on</th>
            <th scope="col">met</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="p in parts" :key="p.number">
            <th scope="row" class="mono">
              <router-link class="name" :to="partPath(p.number)">{{ p.number }}</router-link><span
                v-if="p.also.length"
                class="faded small under"
                >same as {{ p.also.join(', ') }}</span
              >
            </th>
            <td>
              {{ p.words || 'not known what it is' }}
              <span v-for="d in p.disputed" :key="d" class="small under disputed"
                ><SeverityMark severity="risk" /> {{ d }}</span
              >
            </td>
            <td class="small">{{ metWords(p) }}</td>
          </tr>
        </tbody>
      </table>
      <p v-if="parts.length === MOST" class="faded small">The first {{ MOST }}; type more of the number.</p>
    </div>
  </div>
</template>

<style scoped>
.parts {
  display: grid;
  grid-template-columns: minmax(0, 1fr);
}
header {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 16px;
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
.list {
  overflow-x: auto;
  padding: 4px 18px 12px;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 14px;
}
th,
td {
  text-align: left;
  vertical-align: baseline;
  padding: 5px 16px 5px 0;
  font-weight: 400;
}
thead th {
  font-size: 13px;
  color: var(--faded);
}
tbody tr {
  border-top: 1px solid var(--rule);
}
.name {
  color: var(--ink);
  font-weight: 650;
  text-decoration: none;
}
.name:hover {
  text-decoration: underline;
}
.under {
  display: block;
}
.disputed {
  color: var(--risk);
}
.none {
  padding: 12px 0;
}
</style>
