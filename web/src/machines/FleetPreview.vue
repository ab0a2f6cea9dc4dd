<script setup lang="ts">
/** What each row of a table would come to, and what is wrong in it, before anything is kept. */
import { computed } from 'vue'
import type { Fleet } from '@/api/client'
import { gb } from '@/ui/figures'
import { vLines } from '@/ui/lines'
import ColumnMeanings from '@/ui/ColumnMeanings.vue'
import SeverityMark from '@/ui/SeverityMark.vue'
import { plural } from '@/ui/words'
import { BECOMES, comesTo, good, total } from './fleet'

const props = defineProps<{ name: string; fleet: Fleet; busy: boolean }>()
defineEmits<{ keep: []; leave: []; meant: [meant: Record<string, string>] }>()
const all = computed(() => total(props.fleet))
const wrong = computed(() => props.fleet.counts.wrong ?? 0)
const columns = computed(() => Object.entries(props.fleet.columns))
const nameless = computed(() => !columns.value.some(([, meaning]) => meaning === 'name'))
const own = computed(() => columns.value.filter(([, meaning]) => meaning === 'own').length)
const MEANS: Record<string, string> = { own: 'your own', slot: 'what sits in a slot' }
/** What wants a look goes first. */
const RANK: Record<string, number> = { wrong: 0, change: 1, waiting: 2 }
const rows = computed(() =>
  [...props.fleet.rows].sort((a, b) => (RANK[a.becomes] ?? 3) - (RANK[b.becomes] ?? 3) || a.row - b.row),
)
</script>

<template>
  <section class="panel preview" aria-labelledby="fleet-title">
    <div class="head">
      <h2 id="fleet-title">What {{ name }} comes to</h2>
      <span class="faded"
        >{{ comesTo(fleet)
        }}<template v-if="wrong"
          >, <b class="wrong">{{ wrong }} not in order</b></template
        ></span
      >
      <button type="button" class="quiet-link" @click="$emit('leave')">Cancel</button>
      <button type="button" class="press" :disabled="!good(fleet) || busy" @click="$emit('keep')">
        Take {{ plural(good(fleet), 'row') }}
      </button>
    </div>
    <p v-if="nameless" class="lacks" role="alert">
      <SeverityMark severity="ask" /> Which column names the machines? Say so below; nothing else is needed.
    </p>
    <ColumnMeanings
      :columns="fleet.columns"
      :above="fleet.above"
      :meanings="fleet.meanings"
      :besides="MEANS"
      others="the others are kept with each machine as columns of your own"
      :open="nameless || own > 0"
      :busy="busy"
      @meant="$emit('meant', $event)" />
    <p v-if="all > fleet.rows.length" class="faded small">
      {{ fleet.rows.length }} of {{ all }} rows are shown, those that are not in order among them.
    </p>
    <div v-if="rows.length" class="rows">
      <table v-lines>
        <thead>
          <tr>
            <th scope="col" class="number">row</th>
            <th scope="col">name</th>
            <th scope="col">model</th>
            <th scope="col" class="nowrap">what it is</th>
            <th scope="col" class="number nowrap">slots told</th>
            <th scope="col" class="number">GB</th>
            <th scope="col">what is new, or wrong</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in rows" :key="r.row">
            <td class="number">{{ r.row }}</td>
            <th scope="row" class="nowrap">{{ r.name || 'no name' }}</th>
            <td class="nowrap" :class="{ faded: !r.model }">{{ r.model || 'not known' }}</td>
            <td class="nowrap" :class="{ wrong: r.becomes === 'wrong', faded: r.becomes === 'nothing' }">
              {{ BECOMES[r.becomes] }}
            </td>
            <td class="number">{{ r.slots || '' }}</td>
            <td class="number">{{ r.slots ? gb(r.gib) : '' }}</td>
            <td>
              <div v-for="e in r.errors" :key="e.column + e.message" class="wrong">{{ e.column }}: {{ e.message }}</div>
              <div v-for="t in r.told" :key="t">{{ t }}</div>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>

<style scoped>
.preview {
  padding: 14px 18px;
}
.head {
  display: flex;
  flex-wrap: wrap;
  gap: 6px 16px;
  align-items: center;
}
.head .quiet-link {
  margin-left: auto;
}
.lacks {
  display: flex;
  gap: 8px;
  align-items: baseline;
}
.rows {
  max-height: 50vh;
  overflow: auto;
}
table {
  width: 100%;
  border-collapse: collapse;
  font-size: 14px;
}
thead th {
  font-weight: 400;
  color: var(--faded);
  font-size: 13px;
  position: sticky;
  top: 0;
  background: var(--sheet);
}
th,
td {
  text-align: left;
  padding: 5px 14px 5px 0;
  vertical-align: top;
}
tbody tr {
  border-top: 1px solid var(--rule);
}
.nowrap {
  white-space: nowrap;
}
.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}
</style>
