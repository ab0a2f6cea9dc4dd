<script setup lang="ts">
/** What each row of a table would make, and what is wrong in it, before anything is kept. */
import { computed } from 'vue'
import type { Fleet } from '@/api/client'
import { gb } from '@/ui/figures'
import { plural } from '@/ui/words'

const props = defineProps<{ name: string; fleet: Fleet; busy: boolean }>()
defineEmits<{ keep: []; leave: [] }>()
const made = computed(() => props.fleet.rows.filter((r) => r.machine_id).length)
const wrong = computed(() => props.fleet.rows.length - props.fleet.good)
</script>

<template>
  <section class="panel preview" aria-labelledby="fleet-title">
    <div class="head">
      <h2 id="fleet-title">{{ made ? `${plural(made, 'machine')} made from ${name}` : `What ${name} would make` }}</h2>
      <span class="faded">{{ plural(fleet.good, 'row') }} in order<template v-if="wrong">, <b class="wrong">{{ wrong }} not</b></template></span>
      <button type="button" class="quiet-link" @click="$emit('leave')">{{ made ? 'Close' : 'Leave it' }}</button>
      <button type="button" class="press" v-if="!made" :disabled="!fleet.good || busy" @click="$emit('keep')">Make {{ plural(fleet.good, 'machine') }}</button>
    </div>
    <p v-if="fleet.ignored.length" class="faded small">Nothing is known of the columns {{ fleet.ignored.join(', ') }}; they are left out.</p>
    <div class="rows">
      <table>
        <thead>
          <tr>
            <th scope="col">row</th>
            <th scope="col">name</th>
            <th scope="col">model</th>
            <th scope="col" class="number">slots told</th>
            <th scope="col" class="number">GB</th>
            <th scope="col">what is wrong</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="r in fleet.rows" :key="r.row">
            <td class="number">{{ r.row }}</td>
            <th scope="row">
              <router-link v-if="r.machine_id" class="quiet-link" :to="`/machines/${r.machine_id}/survey`">{{ r.name }}</router-link>
              <template v-else>{{ r.name || 'no name' }}</template>
            </th>
            <td>{{ r.model }}</td>
            <td class="number">{{ r.slots }}</td>
            <td class="number">{{ gb(r.gib) }}</td>
            <td>
              <div v-for="e in r.errors" :key="e.column + e.message" class="wrong">{{ e.column }}: {{ e.message }}</div>
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
.number {
  text-align: right;
  font-variant-numeric: tabular-nums;
}
</style>
